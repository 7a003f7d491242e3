"""Spreads a cord out into the fields that ``compose`` takes: what a tally has a field for, and the rest of the cord."""

from __future__ import annotations

from dataclasses import replace

from ..catalog import load_canonical
from ..errors import CordTallyError
from ..model import (
    DIRECT,
    Authentication,
    ByteSize,
    Cord,
    DiscoveryKind,
    Duration,
    Host,
    Locator,
    MaskedText,
    Secret,
    Tls,
)
from .fields import parse_host, parse_option
from .locators import looks_like_locator


def spread(cord: Cord) -> tuple[dict[str, object], Cord]:
    """Give the fields that a cord states, as a tally writes them, and the cord of all that no field says.

    ``compose(**fields).over(rest)`` is the cord again. Secrets stay `Secret`.
    """
    fields: dict[str, object] = {"engine": cord.engine}
    fields |= _hosts(cord.hosts)
    named = {
        "database": cord.database,
        "user": cord.user,
        "realm": cord.authentication.realm,
        "ca": cord.tls.ca,
        "certificate": cord.tls.certificate,
        "key": cord.tls.key,
    }
    fields |= {name: value for name, value in named.items() if isinstance(value, str)}
    if isinstance(cord.user, Locator):
        fields["user"] = cord.user
    elif looks_like_locator(str(fields.get("user", ""))):  # a user whose very name is like one
        del fields["user"]
    if cord.password is not None:
        fields["password"] = cord.password
    if cord.authentication.method is not None:
        fields["login"] = cord.authentication.method.value
    if cord.tls.level is not None:
        fields["tls"] = cord.tls.level.value
    if cord.discovery.kind is DiscoveryKind.SERVICE and isinstance(cord.discovery.name, str):
        fields["service"] = cord.discovery.name
    options = {name: _written(value) for name, value in cord.options if _is_option(name, value)}
    if options:
        fields["options"] = options
    return fields, _rest(cord, fields)


def _hosts(hosts: tuple[Host, ...]) -> dict[str, object]:
    """One host as ``host`` and ``port``, several as ``hosts``; nothing where a field cannot say them."""
    if not hosts or any(isinstance(host.address, MaskedText) for host in hosts):
        return {}
    if len(hosts) == 1 and hosts[0].instance is None:
        address = str(Host(hosts[0].address))
        try:
            if parse_host(address) == Host(hosts[0].address):
                port = {} if hosts[0].port is None else {"port": hosts[0].port}
                return {"host": address, **port}
        except CordTallyError:
            return {}
    listed = [str(host) for host in hosts]
    try:
        return {"hosts": listed} if tuple(map(parse_host, listed)) == hosts else {}
    except CordTallyError:
        return {}


def _written(value: object) -> object:
    if isinstance(value, Duration | ByteSize):
        return str(value).replace(" ", "")
    return value if isinstance(value, bool | int | Secret) else str(value)


def _is_option(name: str, value: object) -> bool:
    """Whether a tally's option says this value, which it does not of one of another type or word."""
    if name not in load_canonical() or isinstance(value, MaskedText):
        return False
    try:
        return parse_option(name, value.unmask() if isinstance(value, Secret) else _written(value)) == value
    except (CordTallyError, ValueError):
        return False


def _rest(cord: Cord, fields: dict[str, object]) -> Cord:
    options = fields.get("options", {})
    assert isinstance(options, dict)
    tls = {name: None for name in ("ca", "certificate", "key") if name in fields}
    return Cord(
        engine=cord.engine,
        hosts=() if {"host", "hosts"} & fields.keys() else cord.hosts,
        database=None if "database" in fields else cord.database,
        user=None if "user" in fields else cord.user,
        authentication=Authentication(None, None if "realm" in fields else cord.authentication.realm),
        tls=replace(cord.tls, level=None, **tls) if cord.tls != Tls() else cord.tls,
        discovery=DIRECT if "service" in fields else cord.discovery,
        options=tuple(pair for pair in cord.options if pair[0] not in options),
        native=cord.native,
    )
