"""Moves a file of PHP that pages include out of the folder that a web server shows, and corrects the includes' paths.

What holds credentials for others to include is moved as it is: a server that once does not run PHP shows the file.
An include's path is told where it is a string, or a string behind ``__DIR__``, ``dirname(…)`` or the document root
(PHP manual, include and Magic constants). What names the file in another way is reported, and stays.
"""

from __future__ import annotations

import os
import re
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from ..errors import FieldError
from ..sweeping import public_folder, sweep
from ..syntax import Source, Splice, walk_names
from ..syntax.offsets import Offsets
from ..syntax.trees import parser_of
from .plans import Lift, Moved, Refused
from .stores import below

_ENDINGS = (".php", ".inc", ".phtml")
_INCLUDES = frozenset(
    ["include_expression", "include_once_expression", "require_expression", "require_once_expression"]
)
_PATH = re.compile(
    r"\(*\s*(?:(?P<base>__DIR__|dirname\(\s*__FILE__\s*\)|(?P<up>dirname\(\s*__DIR__\s*(?:,\s*(?P<levels>\d)\s*)?\))|"
    r"\$_SERVER\[[\'\"]DOCUMENT_ROOT[\'\"]\])\s*\.\s*)?(?P<quote>[\'\"])(?P<path>[^\'\"$\\\\]+)(?P=quote)\s*\)*"
)
_OWN_PLACE = re.compile(r"__DIR__|__FILE__")


class _Include(NamedTuple):
    """The path of an include as it is written, and where it leads; None where that is not told."""

    start: int
    end: int
    leads_to: Path | None


def move_out(path: str | Path, folder: str | Path) -> Lift:
    """Plan the move of a file of PHP into a folder that no web server shows.

    Parameters
    ----------
    path : str or Path
        The file, below a folder that a web server shows.
    folder : str or Path
        Where it goes.

    Returns
    -------
    Lift
        The edits; what names the file without being understood here is ``refused``.

    Raises
    ------
    FieldError
        Where it cannot be moved safely, saying why.
    OSError
        When a file cannot be read.
    """
    file = Path(path).resolve()
    project = next((one for one in file.parents if (one / ".git").exists()), None) or _above_shown(file)
    shown, target = _shown(project, file), Path(folder).resolve() / file.name
    if shown is None or file.suffix not in _ENDINGS:
        raise FieldError(f"{path} is no file of PHP below a folder that a web server shows by the usual names")
    if _shown(project, target) is not None or target.exists():
        raise FieldError(f"{target} is shown by a web server, too, or is there already: name another folder")
    source, plan = Source.load(file), Lift(project, target.parent)
    _refuse_page(source)
    found = sweep(file)
    plan.hide_found(source.text, [*found.hits, *found.accepted])
    plan.edit(target, _own_includes(source, target, shown), mode=file.stat().st_mode & 0o777)
    plan.edit(file, None)
    for page in _pages(project, file):
        _correct(plan, page, file, target, shown)
    if not any(page not in {file, target} for page in plan.after):
        raise FieldError(f"no page is found to include {file.name}: move it by hand")
    plan.moved.append(Moved(file, 1, plan.shown(target)))
    return plan


def _above_shown(file: Path) -> Path:
    """The folder that holds the one which is shown."""
    shown = public_folder(file.relative_to(file.anchor))
    return file.parent if shown is None else Path(file.anchor, shown).parent


def _shown(project: Path, file: Path) -> Path | None:
    name = public_folder(below(project, file))
    return None if name is None else project / Path(name).relative_to(project.name)


def _refuse_page(source: Source) -> None:
    tree = parser_of("php").parse(source.text.encode())
    if any(node.type == "text" and node.text.strip() for node in tree.root_node.children):
        raise FieldError(f"{source.path} is a page itself: move its secrets with --into, and leave it where it is")


def _pages(project: Path, file: Path) -> Iterator[Path]:
    """The files of PHP that name a file."""
    for place, _, ignored in walk_names(str(project), lambda _: None):
        page = Path(place)
        if page.suffix in _ENDINGS and page != file and not ignored and file.name.encode() in page.read_bytes():
            yield page


def _includes(source: Source, shown: Path) -> Iterator[_Include]:
    data = source.text.encode()
    offsets, waiting = Offsets(source.text, data), [parser_of("php").parse(data).root_node]
    while waiting:
        node = waiting.pop()
        waiting += reversed(node.children)
        if node.type in _INCLUDES:
            start, end = offsets.span(node.children[-1])
            yield _Include(start, end, _leads_to(source, source.text[start:end], shown))


def _leads_to(source: Source, written: str, shown: Path) -> Path | None:
    match = _PATH.fullmatch(written)
    if match is None:
        return None
    here, path = source.path.parent, match["path"]
    if match["up"]:
        here = here.parents[int(match["levels"] or 1) - 1]
    elif match["base"] and "DOCUMENT_ROOT" in match["base"]:
        here = shown
    if match["base"]:
        return Path(os.path.normpath(f"{here}/{path}"))
    # relative ones are looked for in the folder of the page that was asked for, then in the including file's own
    found = [Path(os.path.normpath(one / path)) for one in (shown, here)]
    return next((one for one in found if one.is_file()), found[-1])


def _own_includes(source: Source, target: Path, shown: Path) -> bytes:
    """The file with its own includes leading where they led."""
    splices = [
        Splice(one.start, one.end, _gap(source, one) + _written(one.leads_to, target))
        for one in _includes(source, shown)
        if one.leads_to
    ]
    text = source.spliced(splices).decode(source.encoding)
    kept = [one for one in _OWN_PLACE.finditer(source.text) if not any(s.start <= one.start() < s.end for s in splices)]
    if kept or any(one.leads_to is None for one in _includes(source, shown)):
        line = source.place(kept[0].start())[0] if kept else 1
        raise FieldError(
            f"{source.path}:{line}: it goes by its own place, or includes what is not told: edit it by hand"
        )
    return text.encode(source.encoding)


def _correct(plan: Lift, page: Path, file: Path, target: Path, shown: Path) -> None:
    source = Source.load(page)
    splices = list[Splice]()
    for one in _includes(source, shown):
        if one.leads_to == file:
            splices.append(Splice(one.start, one.end, _gap(source, one) + _written(target, page)))
    for match in re.finditer(re.escape(file.name), source.text):
        if not any(one.start <= match.start() < one.end for one in splices):
            reason = f"it names {file.name} in a way that is not understood here: see whether it includes it"
            plan.refused.append(Refused(page, source.place(match.start())[0], reason))
    if splices:
        found = sweep(page)
        plan.hide_found(source.text, [*found.hits, *found.accepted])
        plan.edit(page, source.spliced(splices))


def _gap(source: Source, one: _Include) -> str:
    """A blank where a bracket parted the path from the word before it."""
    return " " if source.text[one.start - 1].isalpha() else ""


def _written(leads_to: Path, page: Path) -> str:
    path = Path(os.path.relpath(leads_to, page.parent)).as_posix()
    if re.search(r"['\\\\]", path):
        raise FieldError(f"the path {path} has a quote or a backslash: move the file by hand")
    return f"__DIR__ . '/{path}'"
