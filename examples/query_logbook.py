"""A program that takes its cord from the project's tally and queries SQLite.

The program knows the name of the cord and nothing else: where the file lies, or which server it is, stands in
tally.toml; a secret, where there is one, is fetched when the arguments are made.
"""

import os
import sqlite3
import tempfile
from contextlib import closing

import cordtally as ct
from cordtally.demo import furnish


def main() -> None:
    tally = ct.load()  # the nearest tally.toml, here or in a folder above
    cord = tally.cord("logbook")
    with closing(sqlite3.connect(**cord.arguments("sqlite3"))) as connection:
        for berth, depth in connection.execute("SELECT berth, max(depth_m) FROM entries GROUP BY berth ORDER BY berth"):
            print(f"berth {berth}: up to {depth:.2f} m")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as harbour:  # the sample data of Greywick Harbour
        furnish(harbour)
        os.chdir(harbour)
        main()
        os.chdir("/")
