"""Reads what people have recorded of a pool: traces of acquisitions and request logs. Fitting is left to ``fit``."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from ...errors import PoolModelError, quoted
from ...pipes import open_text
from ..tables import UNITS, find_column, read_table, times

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

_HOLD_NAMES = ("hold", "held", "duration", "elapsed")
_LOGS = {".jsonl", ".ndjson", ".log", ".txt"}
_TIMED_OUT = {"timed out", "timeout", "timed_out"}
GROUPS = ("time", "wait", "hold", "outcome")


@dataclass(frozen=True, eq=False)
class Trace:
    """Acquisitions in order of asking: instants and times in seconds, shape (n,).

    ``waits`` is None where the record has none; ``timed_out`` marks those that got no connection, whose hold is 0.
    The record's clock ``turned_back`` so many times, by ``furthest_back`` (s) at most.
    """

    times: Array
    holds: Array
    waits: Array | None
    timed_out: np.ndarray[tuple[int], np.dtype[np.bool_]]
    turned_back: int = 0
    furthest_back: float = 0.0


def read_records(
    path: str | Path, *, pattern: str | None = None, columns: Mapping[str, str] | None = None
) -> pd.DataFrame:
    """Read a table, a log of JSON objects, or lines of text by a pattern.

    Parameters
    ----------
    path : path-like
        .csv, .parquet; .jsonl or .log with a JSON object a line; with ``pattern`` any text.
    pattern : str, optional
        Regular expression with the named groups ``time``, ``hold``, and maybe ``wait``, ``outcome``; a unit may end
        the name: ``hold_ms``. Lines that do not match are left out.
    columns : mapping, optional
        What columns are called here: ``{"time": "ts", "hold_ms": "took"}``.

    Raises
    ------
    PoolModelError
        For a file that holds nothing of the kind; the message names it.
    """
    path = Path(path)
    if pattern is not None:
        table = _by_pattern(path, pattern)
    elif path.suffix in _LOGS:
        table = _json_lines(path)
    else:
        table = read_table(path)
    for wanted, actual in (columns or {}).items():
        if actual.lower() not in table.columns:
            raise PoolModelError(f"{path}: there is no column {quoted(actual)}; there are {', '.join(table.columns)}")
        table = table.rename(columns={actual.lower(): wanted})
    table.attrs["path"] = str(path)
    return table


def _by_pattern(path: Path, pattern: str) -> pd.DataFrame:
    import pandas as pd

    try:
        compiled = re.compile(pattern)
    except re.error as error:
        raise PoolModelError(f"the pattern is no regular expression: {error}") from None
    known = {name + unit for name in GROUPS for unit in UNITS}
    wrong = [name for name in compiled.groupindex if name not in known]
    if wrong or not compiled.groupindex:
        raise PoolModelError(f"the pattern needs groups named {', '.join(GROUPS)}, with a unit at most: (?P<hold_ms>…)")
    with open_text(path, errors="replace") as stream:
        rows = [match.groupdict() for line in stream if (match := compiled.search(line))]
    if not rows:
        raise PoolModelError(f"{path}: no line matches the pattern")
    return pd.DataFrame(rows)


def _json_lines(path: Path) -> pd.DataFrame:
    import pandas as pd

    rows: list[dict[str, Any]] = []
    with open_text(path, errors="replace") as stream:
        for number, line in enumerate(stream, 1):
            if not line.strip():
                continue
            try:
                entry = json.loads(line)
            except json.JSONDecodeError:
                raise PoolModelError(f"{path}:{number}: this line is no JSON object; give --pattern for text") from None
            if isinstance(entry, dict):
                rows.append({str(key).lower(): value for key, value in entry.items()})
    if not rows:
        raise PoolModelError(f"{path}: there is no JSON object in it")
    return pd.DataFrame(rows)


def make_trace(table: pd.DataFrame) -> Trace:
    """Make a trace of records with a time and a hold; sorted where the clock goes backwards by a little.

    Parameters
    ----------
    table : pandas.DataFrame
        Columns of equal length, as `read_table` gives them; the units stand in their names.

    Raises
    ------
    PoolModelError
        When a column is missing, a hold is negative, or the clock goes backwards by much.
    """
    import numpy as np

    path = table.attrs.get("path", "the trace")
    when, holds = times(table, "time", "timestamp", "ts"), times(table, *_HOLD_NAMES)
    waits = times(table, "wait", "waited") if find_column(table, ["wait", "waited"]) else None
    for name, values in (("hold", holds), ("wait", waits)):
        if values is not None and (values < 0).any():
            row = int((values < 0).argmax())
            raise PoolModelError(f"{path}:{row + 2}: {name} is {values[row]:g} s: it must be 0 s or more")
    back = np.diff(when)
    if len(back) and back.min() < -max(60.0, 0.01 * (when.max() - when.min())):
        row = int(back.argmin())
        raise PoolModelError(f"{path}:{row + 3}: the clock goes backwards by {-back[row]:.6g} s")
    timed_out = np.zeros(len(when), dtype=bool)
    if "outcome" in table.columns:
        timed_out = table["outcome"].astype(str).str.strip().str.lower().isin(_TIMED_OUT).to_numpy()
    order = np.argsort(when, kind="stable")
    kept = holds[order]
    kept[timed_out[order]] = 0.0
    return Trace(
        when[order], kept, None if waits is None else waits[order], timed_out[order],
        int((back < 0).sum()), float(-min(back.min(), 0.0)) if len(back) else 0.0,
    )  # fmt: skip
