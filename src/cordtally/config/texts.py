"""New parts in an old text: what is not concerned stays as it was written."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import Any

from ..catalog import nearest_names
from ..composing import parse_option
from ..errors import CordTallyError, FieldError, UnknownName
from ..exchange import Part, Reading, read, write
from ..model import Authentication, AuthenticationMethod, Cord, Secret, TlsLevel

_CALLED = {"tls": "tls.level", "ca": "tls.ca", "login": "authentication"}


def new_text(reading: Reading, text: str, parts: Mapping[str, Any]) -> str:
    """Give a text with other parts; what is not concerned stays as it was written.

    Raises
    ------
    FieldError
        When its notation cannot hold a part.
    """
    wanted = changed(reading.cord, parts)
    writing = write(wanted, reading.target)
    concerned = {name for role in _roles(parts) for name in (role, f"options.{role}")}
    concerned |= set(parts)
    lost = [line for line in writing.ledger.losses if {line.part, line.part.partition(".")[0]} & concerned]
    if lost:
        raise FieldError(f"{reading.target} cannot hold the new {lost[0].part}: {lost[0].reason}")
    whole = writing.text.unmask()
    for candidate in (_pieced(reading, text, whole, parts), whole):
        if candidate is not None and _reads_as(candidate, reading, wanted):
            return candidate
    raise FieldError(f"the new text would not be read back as {reading.target} with these parts")


def changed(cord: Cord, parts: Mapping[str, Any]) -> Cord:
    """Give a cord with other parts.

    Raises
    ------
    FieldError
        When it has several hosts, or a part cannot be meant.
    UnknownName
        When there is no such level, method or option.
    """
    for role, value in parts.items():
        if role in {"host", "port"}:
            if len(cord.hosts) != 1:
                raise FieldError("the connection has several hosts, or none: edit its text by hand")
            (host,) = cord.hosts
            address, port = (value, host.port) if role == "host" else (host.address, int(value))
            cord = cord.copy_with(hosts=(type(host)(address, port, host.instance),))
        elif role == "tls":
            cord = cord.copy_with(tls=replace(cord.tls, level=TlsLevel(_word("TLS level", value, TlsLevel))))
        elif role == "ca":
            cord = cord.copy_with(tls=replace(cord.tls, ca=value))
        elif role == "login":
            method = AuthenticationMethod(_word("log-in method", value, AuthenticationMethod))
            cord = cord.copy_with(authentication=Authentication(method, cord.authentication.realm))
        elif role == "options":
            typed = {name: parse_option(name, one) for name, one in value.items()}
            cord = cord.copy_with(options=tuple(sorted((dict(cord.options) | typed).items())))
        else:
            cord = cord.copy_with(**{role: Secret(value) if role == "password" else value})
    return cord


def _word(kind: str, word: str, words: type[TlsLevel | AuthenticationMethod]) -> str:
    known = [one.value for one in words]
    if word not in known:
        raise UnknownName(kind, word, nearest=nearest_names(kind, word, known), hint=f"one of {', '.join(known)}")
    return word


def _pieced(reading: Reading, text: str, whole: str, parts: Mapping[str, Any]) -> str | None:
    """The old text with the spans of the changed parts alone replaced, as they stand in the text written anew."""
    try:
        anew = read(whole, driver=reading.target)
    except CordTallyError:
        return None
    spans = []
    for role in _roles(parts):
        old, new = (_parts_called(one, role) for one in (reading, anew))
        if len(old) != 1 or len(new) != 1:
            return None
        spans.append((old[0].start, old[0].end, whole[new[0].start : new[0].end]))
    for start, end, piece in sorted(spans, reverse=True):
        text = text[:start] + piece + text[end:]
    return text


def _roles(parts: Mapping[str, Any]) -> Iterator[str]:
    """What the changed parts are called among a reading's, or by canonical names."""
    for role, value in parts.items():
        yield from value if role == "options" else [_CALLED.get(role, role)]


def _parts_called(reading: Reading, role: str) -> list[Part]:
    names = {row.name for row in reading.rows if row.option is not None and row.option.canonical == role}
    return [part for part in reading.parts if part.role == role or (part.role == "option" and part.name in names)]


def _reads_as(text: str, reading: Reading, wanted: Cord) -> bool:
    try:
        return read(text, driver=reading.target).cord == wanted
    except CordTallyError:
        return False
