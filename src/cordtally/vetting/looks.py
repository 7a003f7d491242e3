"""What the rules of texts and cords look at: the cord, its reading where it was read, and what is known around it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..catalog import Driver, Engine, load_driver, load_engine
from ..exchange import Reading
from ..exchange.defaults import default_level
from ..model import Cord, TlsLevel
from ..patterns import pattern
from .leading import Leads, where
from .rules import Sight, Span

if TYPE_CHECKING:
    from pathlib import Path

    from ..exchange.gathering import Part

_PRODUCTION = frozenset({"production", "prod", "prd", "live"})
# blanks at an edge of a part, quotes, braces, escapes, templates, code, and all that is not printable ASCII
_ODD = pattern(r"""[^ -~]|[%{}"'`<>#$]|^ | $|[=/@:,&?] | [=/@:,&]|=\w+=""")


class Look:
    """What the rules look at.

    Relative paths of certificates start from ``folder``; ``environment`` is the one that is said to be meant, and
    ``in_file`` says that the text stands in a file, whose own program may fill it in; ``places`` are those of the parts
    of a cord that has no text.
    """

    __slots__ = ("cord", "driver", "engine", "environment", "folder", "in_file", "leads", "places", "reading", "text")

    def __init__(
        self,
        cord: Cord,
        reading: Reading | None = None,
        *,
        folder: Path | None = None,
        environment: str | None = None,
        in_file: bool = False,
        places: Mapping[str, tuple[int, int]] | None = None,
    ) -> None:
        self.places = places
        self.cord, self.reading, self.folder, self.environment = cord, reading, folder, environment
        self.in_file = in_file
        self.text: str = "" if reading is None else reading.text.unmask()
        self.driver: Driver | None = None if reading is None else load_driver(reading.driver)
        self.engine: Engine = load_engine(cord.engine)
        self.leads = (
            Leads.HERE if self.engine.embedded else max([where(h.name) for h in cord.hosts], default=Leads.HERE)
        )

    @property
    def production(self) -> bool:
        """Whether production is meant."""
        return self.environment is not None and self.environment.casefold() in _PRODUCTION

    def part(self, role: str, name: str | None = None) -> Part | None:
        """Find a part of the text by its role, or an option by its name."""
        for part in self.reading.parts if self.reading is not None else ():
            if part.role == role and (name is None or part.name == name):
                return part
        return None

    def place(self, role: str, name: str | None = None) -> Span:
        """Find where a part stands in the text that was read, or in the file that declares the cord in parts."""
        if self.places is not None:
            return self.places.get(role)
        part = self.part(role, name)
        return None if part is None else (part.start, part.end)

    def option_place(self, canonical: str) -> Span:
        """Find where an option stands by its canonical name."""
        for row in self.reading.rows if self.reading is not None else ():
            if row.option is not None and row.option.canonical == canonical:
                return next(((p.start, p.end) for p in self.reading.parts if p.name == row.name), None)  # type: ignore[union-attr]
        return None

    def raw(self, part: Part) -> str:
        """Give a part as it stands in the text; it may be a secret."""
        return self.text[part.start : part.end]

    def tls_level(self) -> tuple[TlsLevel | None, bool]:
        """The level in force, and whether it is stated."""
        level = self.cord.tls.level
        if level is not None or self.reading is None:
            return level, level is not None
        default = default_level(self.reading)
        return (TlsLevel(default) if default is not None else None), False

    def sights(self) -> list[Sight]:
        """What there is to see."""
        cord, made = self.cord, [Sight.CORD]
        if self.reading is not None:
            made.append(Sight.READING)
            if self.reading.remarks:
                made.append(Sight.REMARKS)
            if _ODD.search(self.text) is not None:
                made.append(Sight.ODD)
        if cord.hosts:
            made.append(Sight.HOSTS)
            if len(cord.hosts) > 1:
                made.append(Sight.SEVERAL)
        if cord.database is not None:
            made.append(Sight.DATABASE)
        if cord.user is not None:
            made.append(Sight.USER)
        if cord.password is not None:
            made.append(Sight.PASSWORD)
        if self.leads is not Leads.HERE:
            made.append(Sight.TLS)
        tls = cord.tls
        if tls.ca is not None or tls.certificate is not None or tls.key is not None:
            made.append(Sight.FILES)
        if cord.options or cord.native:
            made.append(Sight.OPTIONS)
        return made
