"""What the rules of texts and cords look at: the cord, its reading where it was read, and what is known around it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING

from ..catalog import Driver, Engine, load_driver, load_engine
from ..exchange import Reading
from ..exchange.defaults import default_level
from ..model import Cord, Secret, TlsLevel, clear
from ..model.placeholders import is_placeholder
from ..patterns import pattern
from .leading import POOLER_PORT, Leads, is_production, tells, where
from .rules import Sight, Span

if TYPE_CHECKING:
    from pathlib import Path

    from ..exchange.gathering import Part

# all but what most texts are made of; and blanks at the edge of a part
_ODD = pattern(r"[^ !&()*+,./0-9:;=?@A-Z\[\\\]^_a-z|~-]")
_BLANKS = pattern(r"^ | $|[=/@:,&?] | [=/@:,&]")


class Look:
    """What the rules look at.

    Relative paths of certificates start from ``folder``; ``environment`` is the one that is said to be meant, and
    ``in_file`` says that the text stands in a file, whose own program may fill it in; ``places`` are those of the parts
    of a cord that has no text.
    """

    __slots__ = (
        "_level", "_literal", "_stand_ins", "cord", "driver", "engine", "environment", "folder", "in_file", "leads",
        "places", "production", "reading", "text",
    )  # fmt: skip

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
        self.in_file = in_file or places is not None
        self._stand_ins: tuple[tuple[str, str], ...] | None = None
        self._literal: str | None = None
        self._level: tuple[TlsLevel | None, bool] | None = None
        self.production = is_production(environment)
        self.text: str = "" if reading is None else reading.text.unmask()
        self.driver: Driver | None = None if reading is None else load_driver(reading.driver)
        self.engine: Engine = load_engine(cord.engine)
        self.leads = (
            Leads.HERE if self.engine.embedded else max([where(h.name) for h in cord.hosts], default=Leads.HERE)
        )

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
        if self._level is None:
            level = self.cord.tls.level
            stated = level is not None
            if not stated and self.reading is not None:
                default = default_level(self.reading)
                level = None if default is None else _LEVELS[default]
            self._level = level, stated
        return self._level

    def sights(self) -> list[Sight]:
        """What there is to see."""
        cord, engine, made = self.cord, self.engine, list[Sight]()
        if self.reading is not None:
            text, reading = self.text, self.reading
            if reading.remarks:
                made.append(Sight.REMARKS)
            if _ODD.search(text) is not None or (" " in text and _BLANKS.search(text) is not None):
                made.append(Sight.ODD)
            if "@" in text and self._has_stray_at():
                made.append(Sight.STRAY_AT)
            if reading.remarks or text.count("=") > len([part for part in reading.parts if part.name is not None]):
                made.append(Sight.EQUALS)
        if self.production:
            made.append(Sight.PRODUCTION)
        if not engine.embedded:
            self._see_hosts(made)
            if self.leads is not Leads.HERE:
                made.append(Sight.AWAY)
                self._see_tls(made)
        name = cord.database
        if name is None:
            made.append(Sight.NO_DATABASE)
        elif type(name) is not str or not _PLAIN_NAME.fullmatch(name) or name in engine.own_databases:
            made.append(Sight.DATABASE)
        if cord.user is not None and (cord.user in engine.administrators or "@" in cord.user_name):
            made.append(Sight.USER)
        if cord.password is not None:
            self._see_password(made)
        if self.stand_ins:
            made.append(Sight.STAND_IN)
        tls = cord.tls
        if tls.certificate is not None or tls.key is not None or (tls.ca is not None and tls.ca != "system"):
            made.append(Sight.FILES)
        if cord.options or cord.native:
            made.append(Sight.OPTIONS)
        return made

    def _has_stray_at(self) -> bool:
        name = self.cord.database
        return any("@" in host.name[1:] for host in self.cord.hosts) or (name is not None and "@" in clear(name))

    def _see_hosts(self, made: list[Sight]) -> None:
        hosts, usual = self.cord.hosts, self.engine.default_port
        if not hosts:
            made.append(Sight.NO_HOST)
            if self.cord.discovery.name is not None and tells(clear(self.cord.discovery.name)):
                made.append(Sight.HOST)
            return
        if self.leads is Leads.HERE:
            made.append(Sight.LOCAL)
        if len(hosts) > 1:
            made.append(Sight.SEVERAL)
        telling = ported = False
        for host in hosts:
            name = host.name
            telling = telling or tells(name) or host.port == POOLER_PORT
            ported = ported or host.port not in {None, usual} or host.instance is not None or name[:1] == "/"
        if telling:
            made.append(Sight.HOST)
        if ported:
            made.append(Sight.PORT)

    def _see_tls(self, made: list[Sight]) -> None:
        level, stated = self.tls_level()
        if level is None:
            return
        if level in _SIGHT_OF_LEVEL:
            made.append(_SIGHT_OF_LEVEL[level])
            if stated:
                made.append(Sight.TLS_LESS)
        driver = self.driver
        alone = stated and self.cord.tls.ca is None and driver is not None and driver.system_trust is False
        if alone and level >= TlsLevel.VERIFY_CHAIN:
            made.append(Sight.TLS_ALONE)

    def _see_password(self, made: list[Sight]) -> None:
        password = self.cord.password
        if not isinstance(password, Secret):
            made.append(Sight.LOCATOR)
            return
        text = password.unmask()
        if not text:
            made.append(Sight.EMPTY_PASSWORD)
        elif self.literal is not None:
            made.append(Sight.PASSWORD)
            if len(text) > _SHORTEST_TOKEN:
                made.append(Sight.TOKEN)

    @property
    def stand_ins(self) -> tuple[tuple[str, str], ...]:
        """The parts of the cord that stand for something else, each with its role."""
        if self._stand_ins is None:
            self._look_for_stand_ins()
        return self._stand_ins or ()

    @property
    def literal(self) -> str | None:
        """The password that stands there, unless it stands for something else."""
        if self._stand_ins is None:
            self._look_for_stand_ins()
        return self._literal

    def _look_for_stand_ins(self) -> None:
        cord, made = self.cord, list[tuple[str, str]]()
        password = cord.password
        self._literal = None
        if isinstance(password, Secret) and (text := password.unmask()):
            if is_placeholder(text):
                made.append(("password", text))
            else:
                self._literal = text
        host = cord.hosts[0].address if cord.hosts else None
        for role, value in (("user", cord.user_name), ("database", cord.database), ("host", host)):
            # by its form: a user may well be called password
            if value and not (type(value) is str and (value.isalnum() or _FORMLESS.fullmatch(value))):
                word = clear(value)
                if is_placeholder(word):
                    made.append((role, word))
        self._stand_ins = tuple(made)


_LEVELS = {level.value: level for level in TlsLevel}
_SHORTEST_TOKEN = 40  # characters: no token is shorter
_PLAIN_NAME = pattern(r"[a-z0-9_][a-z0-9_-]{0,62}")
_FORMLESS = pattern(r"[A-Za-z0-9.-]*")
_SIGHT_OF_LEVEL = {
    TlsLevel.OFF: Sight.TLS_OFF,
    TlsLevel.OPPORTUNISTIC: Sight.TLS_OFFERED,
    TlsLevel.ENCRYPTED: Sight.TLS_ENCRYPTED,
    TlsLevel.VERIFY_CHAIN: Sight.TLS_CHAIN,
}
