"""Compares two cords, in whatever notation they were written: do they lead to the same place, as the same user?

Aliases, defaults, the case of host names and the order of hosts are seen through; what remains is a difference.
"""

from __future__ import annotations

import os.path
from contextlib import suppress
from dataclasses import dataclass
from ipaddress import ip_address
from typing import NamedTuple

from ..catalog import Engine, load_canonical, load_engine
from ..errors import shielded
from ..exchange import Reading, read
from ..exchange.defaults import default_level, effective_options
from ..exchange.documents import json_value
from ..model import MASK, Cord, DiscoveryKind, Host, Locator, Secret, TlsLevel, Words, clear
from ..results import Result

QUESTIONS = ("server", "database", "user", "security")
_THIS_MACHINE = "this machine"


class Difference(NamedTuple):
    """One thing that differs: the question it bears on (or ``behaviour``), the part, both sides, and a remark."""

    question: str
    part: str
    left: str
    right: str
    remark: str = ""


@dataclass(frozen=True, slots=True, repr=False)
class Comparison(Result):
    """What two cords have in common; the place is the server and the database together."""

    _rows = "differences"
    differences: tuple[Difference, ...]

    def _summary(self) -> str:
        count = len(self.differences)
        place = "the same place" if self.same_place else "different places"
        return f"{place}, {count} difference{'' if count == 1 else 's'}"

    def same(self, question: str) -> bool:
        """Whether nothing differs that bears on ``server``, ``database``, ``user``, ``security`` or ``behaviour``."""
        return not any(d.question == question for d in self.differences)

    def __bool__(self) -> bool:
        """Whether both lead to the same place."""
        return self.same_place

    @property
    def same_place(self) -> bool:
        """Whether both lead to the same database on the same server."""
        return self.same("server") and self.same("database")

    def to_dict(self) -> dict[str, object]:
        """Give ``cordtally/comparison/1``."""
        return {
            "schema": "cordtally/comparison/1",
            "same_place": self.same_place,
            **{f"same_{question}": self.same(question) for question in QUESTIONS},
            "differences": [d._asdict() for d in self.differences],
        }


@shielded
def compare(left: str | Secret | Reading | Cord, right: str | Secret | Reading | Cord) -> Comparison:
    """Find out whether two connection strings or cords lead to the same place, and what differs.

    A text or reading is compared with its driver's defaults filled in, a cord with its engine's.

    Raises
    ------
    TextError
        When a text cannot be read.

    Examples
    --------
    >>> import cordtally as ct
    >>> found = ct.compare("postgresql://u@LOCALHOST/tides?sslmode=prefer", "jdbc:postgresql://localhost:5432/tides?user=u")
    >>> found.same_place, [difference.part for difference in found.differences]
    (True, ['connect_timeout'])
    """
    one, other = _effective(left), _effective(right)
    found: list[Difference] = []
    _compare_servers(one, other, found)
    _compare(found, "database", "database", one.database, other.database)
    _compare(found, "user", "user", one.user, other.user)
    if one.password != other.password:
        found.append(Difference("behaviour", "password", _shown_secret(one), _shown_secret(other)))
    _compare(found, "security", "tls.level", one.level, other.level)
    for part in ("ca", "certificate", "key"):
        _compare(found, "security", f"tls.{part}", getattr(one.cord.tls, part), getattr(other.cord.tls, part))
    _compare(found, "user", "realm", one.cord.authentication.realm, other.cord.authentication.realm)
    _compare(found, "security", "log-in", one.cord.login.value, other.cord.login.value)
    stated = {name for side in (one, other) for name, _ in side.cord.options}
    for name in sorted(stated | (set(one.options) & set(other.options))):
        question = load_canonical()[name].bears_on
        _compare(found, question, name, one.options.get(name), other.options.get(name))
    native = [{str(k): str(json_value(v)) for k, v in side.cord.native} for side in (one, other)]
    for key in sorted({*native[0], *native[1]}):
        _compare(found, "behaviour", key, native[0].get(key), native[1].get(key), remark="known to one driver only")
    return Comparison(tuple(found))


class _Side(NamedTuple):
    cord: Cord
    engine: Engine
    hosts: tuple[str, ...]
    database: Words | None
    user: Words | Locator | None
    password: object
    level: str | None
    options: dict[str, str]


def _effective(what: str | Secret | Reading | Cord) -> _Side:
    reading = what if isinstance(what, Reading) else None if isinstance(what, Cord) else read(what)
    cord = reading.cord if reading is not None else what
    assert isinstance(cord, Cord)
    engine = load_engine(cord.engine)
    level = cord.tls.level
    if level is None and reading is not None and (default := default_level(reading)):
        level = TlsLevel(default)
    hosts = tuple(_server(h, engine) for h in cord.hosts or (() if engine.embedded else (Host(""),)))
    typed = effective_options(reading) if reading is not None else dict(cord.options)
    options = {name: str(value) for name, value in typed.items()}
    database = cord.database if cord.database is not None else engine.default_database
    if database is not None and not engine.database_case_counts:
        database = database.casefold() if isinstance(database, str) else database
    if engine.embedded and isinstance(database, str) and database != ":memory:":
        database = os.path.abspath(database)
    shown_level = level.value if level is not None else None
    return _Side(cord, engine, hosts, database, cord.user, cord.password, shown_level, options)


def _server(host: Host, engine: Engine) -> str:
    """A host in the form in which it is compared: defaults filled in, names in lower case, addresses in full."""
    if host.is_socket:
        return f"socket {host.name}:{host.port or engine.default_port}"
    name = (host.name or engine.default_host or "").lower().removesuffix(".")
    if Host(name).is_local:
        name = _THIS_MACHINE
    else:
        with suppress(ValueError):
            name = str(ip_address(name.partition("%")[0]))
    if host.instance is not None and host.port is None:
        return f"{name}\\{host.instance.lower()}"  # beside a port, the instance is not looked up
    return f"{name}:{host.port or engine.default_port}"


def _compare_servers(one: _Side, other: _Side, found: list[Difference]) -> None:
    protocols = [side.engine.protocol or side.engine.id for side in (one, other)]
    if protocols[0] != protocols[1]:
        found.append(Difference("server", "engine", one.engine.id, other.engine.id))
    elif one.engine.id != other.engine.id:
        remark = "both speak the same protocol: it may be one server"
        found.append(Difference("behaviour", "engine", one.engine.id, other.engine.id, remark))
    shown = [", ".join(str(h) for h in side.cord.hosts) or (side.engine.default_host or "") for side in (one, other)]
    if sorted(one.hosts) != sorted(other.hosts):
        found.append(Difference("server", "hosts", shown[0], shown[1]))
    elif one.hosts != other.hosts:
        found.append(Difference("behaviour", "hosts", shown[0], shown[1], "the same servers in another order"))
    services = [str(side.cord.discovery.name or "") for side in (one, other)]
    if services[0] != services[1]:
        kinds = {side.cord.discovery.kind for side in (one, other)} - {DiscoveryKind.DIRECT}
        part = kinds.pop().value if len(kinds) == 1 else "look-up"
        remark = "follow it with --resolve to be sure" if "" in services else ""
        found.append(Difference("server", part, services[0], services[1], remark))


def _compare(
    found: list[Difference],
    question: str,
    part: str,
    left: Words | Locator | None,
    right: Words | Locator | None,
    *,
    remark: str = "",
) -> None:
    if left == right:
        return
    words = [side if isinstance(side, Locator) or side is None else clear(side).casefold() for side in (left, right)]
    if words[0] == words[1] and not remark:
        remark = "they differ only by case"
    shown = ["not stated" if side is None else str(side) for side in (left, right)]
    found.append(Difference(question, part, shown[0], shown[1], remark))


def _shown_secret(side: _Side) -> str:
    return "not stated" if side.password is None else MASK if isinstance(side.password, Secret) else str(side.password)
