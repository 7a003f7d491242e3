"""Reads tables of times from CSV and Parquet: columns are found by name, and a name may end in its unit.

``hold`` is in seconds, ``hold_ms`` in milliseconds (also ``_s``, ``_us``, ``_ns``); ``time`` may hold dates of ISO 8601
in place of seconds.
"""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from ..catalog import find_nearest
from ..errors import MissingExtra, PoolModelError, quoted
from ..pipes import open_to_read

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd

    Array = np.ndarray[tuple[int], np.dtype[np.float64]]

UNITS = {"": 1.0, "_s": 1.0, "_seconds": 1.0, "_ms": 1e-3, "_us": 1e-6, "_ns": 1e-9}


def read_table(path: str | Path) -> pd.DataFrame:
    """Read a table with named columns; .parquet as Parquet, all else as CSV.

    Parameters
    ----------
    path : str or Path
        With named columns; the first row of a CSV file holds the names.

    Raises
    ------
    PoolModelError
        For a file without rows or without named columns; the message names it.
    MissingExtra
        When pandas, or pyarrow for Parquet, is not installed.
    """
    try:
        import pandas as pd
    except ImportError:
        raise MissingExtra("pandas", "pool", "reading a table") from None
    path = Path(path)
    try:
        if path.suffix == ".parquet":
            table = pd.read_parquet(path)
        else:
            with open_to_read(path) as stream:
                table = pd.read_csv(stream, skipinitialspace=True, comment="#")
    except ImportError:
        raise MissingExtra("pyarrow", "pool", "reading Parquet") from None
    except (pd.errors.ParserError, pd.errors.EmptyDataError, UnicodeDecodeError) as error:
        raise PoolModelError(f"{path}: this is no table: {error}") from None
    table.columns = [str(name).strip().lower() for name in table.columns]
    if table.empty:
        raise PoolModelError(f"{path}: the table is empty: it has no row below its header")
    table.attrs["path"] = str(path)
    return table


def find_column(table: pd.DataFrame, names: Sequence[str]) -> tuple[str, float] | None:
    """Find the first of these columns, with or without a unit at the end of its name; give its name and unit in s.

    Parameters
    ----------
    table : pandas.DataFrame
        As `read_table` gives it.
    names : iterable of str
        Without units, the preferred one first.
    """
    for name in names:
        for suffix, unit in UNITS.items():
            if name + suffix in table.columns:
                return name + suffix, unit
    return None


def times(table: pd.DataFrame, *names: str) -> Array:
    """Give a column of times in seconds.

    Parameters
    ----------
    table : pandas.DataFrame
        As `read_table` gives it.
    *names : str
        Without units, the preferred one first.

    Raises
    ------
    PoolModelError
        When there is no such column, and for a cell that is no time; the message names file, row and cell.
    """
    found = find_column(table, names)
    path = table.attrs.get("path", "the table")
    if found is None:
        raise PoolModelError(_missing(path, names, list(table.columns)))
    import pandas as pd

    column, unit = found
    values = pd.to_numeric(table[column], errors="coerce")
    if column == "time" and values.isna().all():
        stamps = pd.to_datetime(table[column], errors="coerce", utc=True, format="ISO8601")
        values = (stamps - pd.Timestamp(0, tz="UTC")).dt.total_seconds()
    if values.isna().any():
        row = int(values.isna().to_numpy().argmax())
        raise PoolModelError(f"{path}:{row + 2}: {column} is {quoted(str(table[column].iloc[row]))}, which is no time")
    answer: Array = values.to_numpy(dtype=float) * unit
    return answer


def _missing(path: str, names: Sequence[str], columns: list[str]) -> str:
    nearest = find_nearest(names[0], columns, most=1)
    hint = f"; did you mean {nearest[0]}?" if nearest else ""
    there = ", ".join(columns[:8]) + (" …" if len(columns) > 8 else "")
    return f"{path}: there is no column {quoted(names[0])} (or {names[0]}_ms …); the columns are {there}{hint}"
