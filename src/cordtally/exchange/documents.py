"""Results as plain dictionaries, the machine output of design section 8, and as a masked table for notebooks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ..catalog import load_canonical, load_driver, load_engine
from ..model import MASK, ByteSize, DiscoveryKind, Duration, Locator, OptionValue, Secret
from ..model.secret import hides_secret
from ..notation import as_text
from .codecs import Misread, read_value
from .interpreting import safe_name

if TYPE_CHECKING:
    from .reading import Reading


def json_value(value: OptionValue | Locator | None, *, unmask: bool = False) -> object:
    """Give a typed value as JSON has it: durations in seconds (None for unlimited), sizes in bytes, secrets masked."""
    match value:
        case Secret():
            return value.unmask() if unmask else MASK
        case str() if not unmask and hides_secret(value):
            return MASK
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
        "ca": cord.tls.ca,
        "certificate": cord.tls.certificate,
        "key": cord.tls.key,
        "key_password": json_value(cord.tls.key_password, unmask=unmask),
    }
    document: dict[str, object] = {
        "schema": "cordtally/reading/1",
        "engine": cord.engine,
        "driver": reading.driver,
        "notation": reading.notation,
        "hosts": [
            {"address": h.address if unmask else h.shown, "port": h.port, "instance": h.instance} for h in cord.hosts
        ],
        "database": json_value(cord.database, unmask=unmask),
        "user": json_value(cord.user, unmask=unmask),
        "password": password,
        "authentication": {"method": cord.login.value, "realm": cord.authentication.realm},
        "tls": tls,
        "discovery": {"kind": cord.discovery.kind.value, "name": cord.discovery.name},
        "options": {name: json_value(value, unmask=unmask) for name, value in cord.options},
        "native": {safe_name(name.partition("/")[2]): json_value(value, unmask=unmask) for name, value in cord.native},
        "parts": [
            {"role": p.role, "start": p.start, "end": p.end} | ({"name": p.name} if p.name else {})
            for p in reading.parts
        ],
    }
    if effective:
        _fill_defaults(document, reading, tls)
    return document


def _fill_defaults(document: dict[str, object], reading: Reading, tls: dict[str, object]) -> None:
    engine = load_engine(reading.cord.engine)
    document["effective"] = True
    hosts = reading.cord.hosts or (() if engine.embedded else (None,))
    document["hosts"] = [
        {
            "address": (h.shown if h else "") or engine.default_host,
            "port": (h.port if h and h.port is not None else None if h and h.is_socket else engine.default_port),
            "instance": h.instance if h else None,
        }
        for h in hosts
    ]
    if tls["level"] is None:
        tls["level"] = default_level(reading)
    document["options"] = {name: json_value(value) for name, value in sorted(effective_options(reading).items())}


def default_level(reading: Reading) -> str | None:
    """Give the TLS level that the driver takes where a text states none; a notation may have one of its own.

    None where an alias or a service has to be looked up first, which may state one.
    """
    if reading.cord.discovery.kind in {DiscoveryKind.ALIAS, DiscoveryKind.SERVICE}:
        return None
    driver = load_driver(reading.driver)
    notation = driver.notation(reading.notation)
    return notation.tls_default if notation is not None and notation.tls_default is not None else driver.tls_default


def effective_options(reading: Reading) -> dict[str, OptionValue]:
    """Give the canonical options that a text states, and the defaults of those that it leaves to the driver."""
    driver = load_driver(reading.driver)
    options = dict(reading.cord.options)
    for canonical, option in driver.by_canonical.items():
        if option.default is None or canonical in options or canonical not in load_canonical():
            continue
        value = read_value(option, driver, as_text(option.default)) if option.is_in(reading.notation) else None
        if value is not None and not isinstance(value, Misread):
            options[canonical] = value
    return options


def html_table(document: dict[str, object]) -> str:
    """Make a small HTML table of a result's top-level keys, for notebooks."""
    from html import escape

    rows = "".join(
        f"<tr><th style='text-align:left'>{escape(key)}</th><td>{escape(str(value))}</td></tr>"
        for key, value in document.items()
        if key not in {"schema", "parts"} and value not in (None, [], {}, "")
    )
    return f"<table>{rows}</table>"
