"""How a result shows itself: one line as ``repr``, tables in a notebook, and its rows as a DataFrame.

What it shows is what its document says (``to_dict``), so that nothing secret stands there.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from .errors import MissingExtra

TYPE_CHECKING = False  # type checkers take it as true; `typing` is not loaded for it
if TYPE_CHECKING:
    from typing import Any, ClassVar

    import pandas as pd

_UNSHOWN = frozenset({"schema", "parts"})


class Result:
    """The base of what is given back: ``_rows`` names the key of the document that holds a table."""

    __slots__ = ()
    _rows: ClassVar[str] = ""

    def to_dict(self) -> dict[str, Any]:
        """Give the document of this result."""
        raise NotImplementedError

    def _summary(self) -> str:
        """What it is, in one line."""
        raise NotImplementedError

    def to_frame(self) -> pd.DataFrame:
        """Give the rows of this result as a DataFrame.

        Raises
        ------
        MissingExtra
            When pandas is not installed.
        """
        return frame(self.to_dict()[self._rows])

    def __repr__(self) -> str:
        return f"<{type(self).__name__}: {self._summary()}>"

    def _repr_html_(self) -> str:
        return as_html(self.to_dict())


def frame(columns: Mapping[str, Any] | Sequence[Mapping[str, Any]]) -> pd.DataFrame:
    """Make a DataFrame of columns, or of rows.

    Parameters
    ----------
    columns : mapping or sequence of mappings
        Columns by name, or rows.

    Raises
    ------
    MissingExtra
        When pandas is not installed.
    """
    try:
        import pandas as pd
    except ImportError:
        raise MissingExtra("pandas", "pool", "a table of results") from None
    return pd.DataFrame(columns)


def as_html(value: object) -> str:
    """Give a document as tables: a mapping has a row for each key, a list of mappings one for each, without scripts."""
    from html import escape

    if isinstance(value, Mapping):
        kept = {key: one for key, one in value.items() if key not in _UNSHOWN and one not in (None, [], {}, "")}
        rows = [
            f"<tr><th style='text-align:left'>{escape(key)}</th><td>{as_html(one)}</td></tr>"
            for key, one in kept.items()
        ]
        return f"<table>{''.join(rows)}</table>"
    if isinstance(value, list | tuple) and value and all(isinstance(one, Mapping) for one in value):
        heads = list(dict.fromkeys(key for one in value for key in one))
        body = ["".join(f"<td>{as_html(one.get(head))}</td>" for head in heads) for one in value]
        head_row = "".join(f"<th>{escape(head)}</th>" for head in heads)
        return f"<table><tr>{head_row}</tr>{''.join(f'<tr>{row}</tr>' for row in body)}</table>"
    if isinstance(value, list | tuple):
        return "<br>".join(as_html(one) for one in value)
    return "" if value is None else escape(f"{value:.6g}" if isinstance(value, float) else str(value))
