"""JSON lines in, JSON lines out, one at a time: the memory needed does not grow with their number."""

from __future__ import annotations

import json
import sys
from collections.abc import Callable, Mapping
from typing import Any

from ..errors import (
    AmbiguousText,
    CordTallyError,
    FieldError,
    LookUpError,
    ServerError,
    TallyError,
    TextError,
    UnknownName,
)

Job = Callable[[Mapping[str, Any]], dict[str, object] | str]
"""Gives the answer to one request, as an object or as JSON already."""
_KINDS: tuple[tuple[type[CordTallyError], str], ...] = (
    (FieldError, "bad-field"),
    (UnknownName, "unknown-name"),
    (TallyError, "bad-tally"),
    (LookUpError, "not-found"),
    (ServerError, "refused-by-server"),
)
_NAMES = ("from", "to", "driver", "target")
_encode = json.JSONEncoder(ensure_ascii=False).encode


def stream_lines(job: Job) -> int:
    """Answer each line of standard input with one line; a line that fails is answered with its error. Gives 0."""
    write = sys.stdout.write
    for line in sys.stdin.buffer:
        if line.strip():
            answer = _answer(line, job)
            write((answer if isinstance(answer, str) else _encode(answer)) + "\n")
    return 0


def _answer(line: bytes, job: Job) -> dict[str, object] | str:
    try:
        request = json.loads(line.decode("utf-8"))
        if not isinstance(request, dict) or not isinstance(request.get("text"), str):
            return _error("bad-request", 'a line is an object with a "text"', None)
        for name in _NAMES:
            if not isinstance(request.get(name, ""), str):
                return _error("bad-request", f'"{name}" is a text', None)
        request["text"].encode("utf-8")
        return job(request)
    except UnicodeDecodeError as error:
        return _error("bad-request", "the line is not UTF-8", error.start)
    except UnicodeEncodeError as error:
        return _error("bad-request", "half of a surrogate pair is no character", error.start)
    except json.JSONDecodeError as error:
        return _error("bad-request", "the line is not JSON", error.pos)
    except RecursionError:
        return _error("bad-request", "the line is nested too deep", None)
    except CordTallyError as error:
        return error_document(error)
    except ValueError:  # json refuses numbers of more than 4,300 digits
        return _error("bad-request", "a number has too many digits", None)


def error_document(error: CordTallyError) -> dict[str, Any]:
    """Give what ``--lines`` and ``--json`` answer where something failed."""
    if isinstance(error, TextError):
        document = _error(error.kind, error.problem, error.span[0] if error.span else None)
        if isinstance(error, AmbiguousText):
            document["error"]["candidates"] = list(error.targets)
        return document
    kind = next((word for kinds, word in _KINDS if isinstance(error, kinds)), "failed")
    document = _error(kind, str(error).partition("\n")[0], None)
    found = {"path": error.path, "line": error.line, "nearest": list(error.nearest)}
    document["error"] |= {key: value for key, value in found.items() if value}
    return document


def _error(kind: str, message: str, offset: int | None) -> dict[str, Any]:
    return {"error": {"kind": kind, "message": message, "offset": offset}}
