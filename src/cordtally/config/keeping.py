"""The old lines of an edit, kept as comments above the new ones, where the format has comments."""

from __future__ import annotations

from collections.abc import Sequence

from ..errors import FieldError
from ..lines import DIALECTS
from ..syntax import Splice, Tree, comment_sign


def old_lines(tree: Tree, splices: Sequence[Splice]) -> list[Splice]:
    """Give the insertions that keep the lines which are edited.

    Raises
    ------
    FieldError
        When the format has no comments, or there is no place for one.
    """
    sign = DIALECTS[tree.format].comments[:1] if tree.format in DIALECTS else comment_sign(tree.format)
    source = tree.source
    if not sign:
        raise FieldError(f"{source.path}: files of this format have no comments: --keep-old cannot keep the old line")
    made = {}
    for splice in splices:
        start = source.text.rfind("\n", 0, splice.start) + 1
        end = source.text.find("\n", splice.end)
        line = source.text[start : end if end >= 0 else len(source.text)].rstrip("\r")
        before = source.text[:start].rstrip("\r\n")
        if "\n" in source.text[splice.start : splice.end] or before.endswith("\\"):
            number = source.place(splice.start)[0]
            raise FieldError(f"{source.path}:{number}: the line runs on: --keep-old has no place for a comment there")
        indent = line[: len(line) - len(line.lstrip())]
        made[start] = Splice(start, start, f"{indent}{sign} {line.lstrip()}{source.newline}")
    return list(made.values())
