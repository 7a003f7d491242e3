"""Results as plain dictionaries, the machine output."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..catalog import load_driver, load_engine, port_taken
from ..model import ByteSize, Duration, Locator, OptionValue, Secret
from ..model.suspicion import clear_name, safe_name
from .defaults import default_level, effective_options
from .places import place_of

if TYPE_CHECKING:
    from .reading import Reading


def json_value(value: OptionValue | Locator | None, *, unmask: bool = False) -> object:
    """Give a typed value as JSON has it: durations in seconds (None for unlimited), sizes in bytes, secrets masked."""
    match value:
        case Secret():
            return value.unmask() if unmask else str(value)
        case Duration():
            if value.nanoseconds is None:
                return "unlimited"
            seconds = value.seconds
            return int(seconds) if seconds == int(seconds) else seconds
        case ByteSize():
            return value.bytes
        case Locator():
            return str(value)
    return value


def reading_document(reading: Reading, *, unmask: bool = False, effective: bool = False) -> dict[str, object]:
    """Make ``cordtally/reading/1``, without findings: those are vetting's."""
    cord = reading.cord
    password: dict[str, object] = {"state": reading.password_state}
    if isinstance(cord.password, Secret) and unmask:
        password["value"] = cord.password.unmask()
    elif isinstance(cord.password, Locator):
        password["locator"] = str(cord.password)
    tls = {
        "level": None if cord.tls.level is None else cord.tls.level.value,
        "ca": json_value(cord.tls.ca, unmask=unmask),
        "certificate": json_value(cord.tls.certificate, unmask=unmask),
        "key": json_value(cord.tls.key, unmask=unmask),
        "key_password": json_value(cord.tls.key_password, unmask=unmask),
    }
    document: dict[str, object] = {
        "schema": "cordtally/reading/1",
        "engine": cord.engine,
        "driver": reading.driver,
        "notation": reading.notation,
        "hosts": [
            {"address": json_value(h.address, unmask=unmask), "port": h.port, "instance": h.instance}
            for h in cord.hosts
        ],
        "database": json_value(cord.database, unmask=unmask),
        "user": json_value(cord.user, unmask=unmask),
        "password": password,
        "authentication": {"method": cord.login.value, "realm": json_value(cord.authentication.realm, unmask=unmask)},
        "tls": tls,
        "discovery": {"kind": cord.discovery.kind.value, "name": json_value(cord.discovery.name, unmask=unmask)},
        "options": {name: json_value(value, unmask=unmask) for name, value in cord.options},
        "native": {
            safe_name(clear_name(name).partition("/")[2]): json_value(value, unmask=unmask)
            for name, value in cord.native
        },
        "parts": [
            {"role": p.role, "start": p.start, "end": p.end} | ({"name": p.name} if p.name else {})
            for p in reading.parts
        ],
    }
    place = place_of(cord)
    if place is not None:
        document["place"] = {
            "id": place.id,
            "title": place.title,
            "engines": list(place.engines),
            "port": place.port,
            "demands_tls": place.demands_tls,
            "tls": place.tls,
            "log_in": list(place.log_in),
            "token": place.token or None,
        }
    if effective:
        _fill_defaults(document, reading, tls)
    return document


def _fill_defaults(document: dict[str, object], reading: Reading, tls: dict[str, object]) -> None:
    engine = load_engine(reading.cord.engine)
    document["effective"] = True
    hosts = reading.cord.hosts or (() if engine.embedded else (None,))
    usual = port_taken(load_driver(reading.driver), engine.id)
    document["hosts"] = [
        {
            "address": (str(h.address) if h else "") or engine.default_host,
            "port": (h.port if h and h.port is not None else None if h and h.is_socket else usual),
            "instance": h.instance if h else None,
        }
        for h in hosts
    ]
    if tls["level"] is None:
        tls["level"] = default_level(reading)
    document["options"] = {name: json_value(value) for name, value in sorted(effective_options(reading).items())}
