"""``cordtally docs``: the pages of the manual, which come with the package."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

import click

from ..catalog import find_name, find_nearest
from ..errors import FieldError, UnknownName
from .output import print_json
from .screen import Screen

if TYPE_CHECKING:
    from click.shell_completion import CompletionItem

_PACKAGE = Path(__file__).parents[1]
# an installed package has the pages within (setup.py puts them there), a clone has them beside its source
_FOLDERS = (_PACKAGE / "docs", _PACKAGE.parents[1] / "docs")
_MOST = 100  # columns; longer lines are tiring to read


def _complete(ctx: click.Context, param: click.Parameter, incomplete: str) -> list[CompletionItem]:
    from click.shell_completion import CompletionItem

    pages = list_pages()
    return [CompletionItem(n, help=title_of(page)) for n, page in pages.items() if n.startswith(incomplete)]


@click.command("docs")
@click.argument("page", required=False, shell_complete=_complete)
@click.option("--json", "as_json", is_flag=True, help="Print JSON instead of text.")
def command(page: str | None, as_json: bool) -> int:
    """Read a page of the manual; without a name: the list of pages. In a pipe it comes as Markdown."""
    pages = list_pages()
    if not pages:
        raise FieldError("this installation has no pages of the manual")
    if page is None:
        _print_list(pages, as_json)
        return 0
    name = find_name("page", page.removesuffix(".md"), pages)
    if name is None:
        raise UnknownName("page", page, nearest=find_nearest(page, pages), hint=f"the pages are {', '.join(pages)}")
    text = pages[name].read_text(encoding="utf-8")
    if as_json:
        print_json({"schema": "cordtally/page/1", "page": name, "title": title_of(pages[name]), "markdown": text})
    elif sys.stdout.isatty():
        _print_page(text)
    else:
        Screen().say_exactly(text.rstrip("\n"))
    return 0


def list_pages() -> dict[str, Path]:
    """Give the pages of the manual by name; the index, where there is one, is the list itself."""
    folder = next((folder for folder in _FOLDERS if (folder / "tally.md").is_file()), None)
    return {} if folder is None else {path.stem: path for path in sorted(folder.glob("*.md")) if path.stem != "index"}


def title_of(page: Path) -> str:
    """Give the heading of a page, without marks."""
    with page.open(encoding="utf-8") as stream:
        return next((line[2:].strip().replace("`", "") for line in stream if line.startswith("# ")), page.stem)


def _print_list(pages: dict[str, Path], as_json: bool) -> None:
    rows = [(name, title_of(path)) for name, path in pages.items()]
    if as_json:
        print_json({"schema": "cordtally/pages/1", "pages": [dict(zip(("page", "title"), row)) for row in rows]})
        return
    screen = Screen()
    screen.table(rows, heads=("page", "about"))
    screen.say("\ncordtally docs PAGE shows one", "dim")


def _print_page(text: str) -> None:
    from rich.console import Console
    from rich.markdown import Markdown
    from rich.theme import Theme

    screen = Screen()
    # the terminal's own colours, and no background: it may be light or dark
    styles = dict.fromkeys(("markdown.h1", "markdown.h2", "markdown.h3"), "bold")
    theme = Theme(styles | {"markdown.code": "bold", "markdown.link": "cyan", "markdown.link_url": "cyan"})
    console = Console(width=min(screen.width, _MOST), no_color=not screen.coloured, highlight=False, theme=theme)
    console.print(Markdown(screen.fitting(text), hyperlinks=False, code_theme="ansi_dark"))
