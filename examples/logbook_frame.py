"""A table read into pandas through a toolkit URL that Cord Tally wrote."""

import os
import tempfile
from pathlib import Path

import pandas as pd
import sqlalchemy

import cordtally as ct
from cordtally.demo import furnish


def main() -> None:
    cord = ct.load().cord("logbook")
    url = cord.text("sqlalchemy+sqlite3")
    engine = sqlalchemy.create_engine(url)
    with engine.connect() as connection:
        entries = pd.read_sql("SELECT * FROM entries", connection, parse_dates=["noted_at"])
    engine.dispose()
    print(entries.groupby("berth")["depth_m"].agg(["count", "mean"]).round(2))


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as harbour:
        furnish(Path(harbour))
        os.chdir(harbour)
        main()
        os.chdir("/")
