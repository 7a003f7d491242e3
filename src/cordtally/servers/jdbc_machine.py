"""A Java machine in a process of its own, with one connection of a JDBC driver: questions come in, and answers go out.

One JSON object a line. A Java machine cannot be stopped, takes over the signals of its process, and is but one for
each: so it is started for a dial, and ended with it.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Mapping
from typing import Any

_SIZE = "-Xmx128m"  # a hostile server's answers end there


def main(jars: list[str]) -> None:
    """Answer until nothing comes any more.

    Parameters
    ----------
    jars : list of str
        The files of the drivers.
    """
    import jpype

    # what a driver prints is no answer of ours
    answers, sys.stdout = sys.stdout, sys.stderr
    # -Xrs leaves Ctrl-C to Python
    jpype.startJVM("-Xrs", _SIZE, classpath=jars, convertStrings=True)
    held: dict[str, Any] = {}
    for line in sys.stdin:
        try:
            told = _answer(jpype, held, json.loads(line))
        except jpype.JException as error:
            told = _refused(error)
        answers.write(json.dumps(told) + "\n")
        answers.flush()


def _answer(jpype: Any, held: dict[str, Any], question: Mapping[str, str]) -> dict[str, object]:  # noqa: ANN401
    if question["do"] == "connect":
        jpype.JClass(question["class"])
        held["connection"] = jpype.java.sql.DriverManager.getConnection(question["text"])
        return {}
    connection = held["connection"]
    statement = connection.createStatement()
    statement.execute(question["statement"])
    statement.close()
    if question["do"] == "run":
        return {}
    told = connection.getMetaData()
    return {
        "product": str(told.getDatabaseProductName()),
        "version": str(told.getDatabaseProductVersion()),
        "user": str(told.getUserName()),
        "reads_only": bool(connection.isReadOnly()) or bool(told.isReadOnly()),
    }


def _refused(error: Any) -> dict[str, object]:  # noqa: ANN401
    """What was thrown: a SQLException has a state and a number, anything else is a failure of the way."""
    if not hasattr(error, "getSQLState"):
        return {"refused": "", "number": 0, "said": ""}
    return {"refused": str(error.getSQLState()), "number": int(error.getErrorCode()), "said": str(error.getMessage())}


if __name__ == "__main__":
    main(sys.argv[1:])
