"""Tables of results as DataFrames."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

from ..errors import MissingExtra

if TYPE_CHECKING:
    import pandas as pd


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
        raise MissingExtra("pandas", "pool", "a table of pool figures") from None
    return pd.DataFrame(columns)
