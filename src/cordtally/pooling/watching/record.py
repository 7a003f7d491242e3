"""Records samples to CSV, a line at a time, or to Parquet, at the end."""

from __future__ import annotations

import csv
from pathlib import Path
from types import TracebackType
from typing import Any, TextIO

from ...errors import FieldError, MissingExtra, quoted
from .watch import COLUMNS, Sample


class Recorder:
    """Writes samples to a file that does not exist yet; a context manager.

    Raises
    ------
    FieldError
        For an ending other than .csv and .parquet, and for a file that is there already.
    MissingExtra
        When pyarrow is not installed and Parquet is wanted.
    """

    def __init__(self, path: Path) -> None:
        if path.suffix not in {".csv", ".parquet"}:
            raise FieldError(
                f"samples are recorded as .csv or .parquet, not {quoted(path.suffix or 'without an ending')}"
            )
        if path.exists():
            raise FieldError(f"{path} is there already: name a new file")
        if path.suffix == ".parquet":
            _parquet()
        self.path = path
        self.count = 0
        self._rows: list[dict[str, Any]] = []
        self._stream: TextIO | None = None
        self._writer: csv.DictWriter[str] | None = None

    def __enter__(self) -> Recorder:
        if self.path.suffix == ".csv":
            self._stream = self.path.open("x", encoding="utf-8", newline="")
            self._writer = csv.DictWriter(self._stream, COLUMNS)
            self._writer.writeheader()
        return self

    def write(self, sample: Sample) -> None:
        """Record a sample; a CSV file holds it at once.

        Parameters
        ----------
        sample : Sample
            Counts of connections, ages in seconds.
        """
        self.count += 1
        if self._writer is None or self._stream is None:
            self._rows.append(sample.to_row())
        else:
            self._writer.writerow(sample.to_row())
            self._stream.flush()

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._stream is not None:
            self._stream.close()
        elif self._rows:
            arrow, parquet = _parquet()
            parquet.write_table(arrow.Table.from_pylist(self._rows), self.path)


def _parquet() -> tuple[Any, Any]:
    try:
        import pyarrow
        from pyarrow import parquet
    except ImportError:
        raise MissingExtra("pyarrow", "parquet", "recording to Parquet") from None
    return pyarrow, parquet
