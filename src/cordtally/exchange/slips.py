"""Slips that a driver takes without a word, and nobody means: an option among the hosts, a port in a name, a lost ?.

Each is told from the parts as they were read; the words for them are facts of the catalog, ``remarks.toml``.
"""

from __future__ import annotations

from collections.abc import Iterator

from ..model.suspicion import safe_name
from ..notation import Case, Field, Parsed, Remark
from ..notation.url import Dialect as UrlDialect
from ..notation.url_hosts import is_ipv6
from ..patterns import pattern
from .addresses import codec_of
from .gathering import FoundHost, Gathered
from .targets import Target

_TELLING = frozenset("=;:@\\[]")
_LEFT_OVER = frozenset(";,\"'`")
_ODD = pattern(r"[;,\"'`]|////|\?[^?]*\?")
_NOWHERE = Field("host", None, "")


def find_slips(parsed: Parsed, found: Gathered, target: Target) -> list[Remark]:
    """Give the slips in a text that was read."""
    remarks: dict[tuple[Case, int], Remark] = {}  # several hosts may stand in one field: one remark is enough
    for host in found.hosts:
        if (not _TELLING.isdisjoint(host.address) or host.address.isdigit()) and (
            case := _of_host(host.address, target) or _of_brackets(host, parsed, target)
        ) is not None:
            field = host.field or _NOWHERE
            remarks[case, field.start] = Remark(case, field.start, field.end, {"driver": target.driver.title})
    made = list(remarks.values())
    dialect = target.dialect
    if isinstance(dialect, UrlDialect):
        if target.watches:
            made += _of_dialect(parsed, found, target, dialect)
        if "&" in found.roles.get("database", ""):
            named = [f for f in parsed.fields if _holds_options(f, parsed.text)]
            made += [Remark(Case.OPTIONS_IN_NAME, f.start, f.end, {}) for f in named]
        if dialect.positions and _ODD.search(parsed.text) is not None:
            made += _of_names(parsed, found, placed="host" in dialect.positions)
    elif target.facts.grammar == "keyword":
        ended = [f for f in parsed.fields if type(f.value) is str and f.value[-1:] in {";", ","}]
        made += [Remark(Case.SEPARATOR_KEPT, f.end - 1, f.end, {"name": f.name or ""}) for f in ended]
    return made


def _of_dialect(parsed: Parsed, found: Gathered, target: Target, dialect: UrlDialect) -> Iterator[Remark]:
    """What happens in some dialects only: a port behind the port, brackets in a list, a database that is no number."""
    if dialect.hosts.behind_port == "dropped":
        ports = [f for f in parsed.fields if f.role == "port" and parsed.text[f.end : f.end + 1] == ":"]
        yield from (Remark(Case.SECOND_PORT, f.end, f.end + 1, {}) for f in ports)
    if dialect.hosts.lone_brackets and len(found.hosts) > 1:
        yield from _of_brackets_in_list(parsed, target)
    if dialect.path.kind == "number":
        yield from _of_number(parsed, found, target)


def _of_names(parsed: Parsed, found: Gathered, *, placed: bool) -> list[Remark]:
    """A database that ends with what came along, or begins as a host does; a second question mark."""
    made = []
    for field in parsed.fields:
        text = parsed.text[field.start : field.end]
        if field.role == "database" and text[-1:] in _LEFT_OVER:
            made.append(Remark(Case.ENDS_ODDLY, field.end - 1, field.end, {"character": text[-1]}))
        elif field.role == "database" and text.startswith("/") and "/" in text[1:] and placed and not found.hosts:
            made.append(Remark(Case.HOST_IN_NAME, field.start, field.start + 1, {}))
        elif field.role == "option" and "?" in text and "=" in text.partition("?")[2]:
            place = field.start + text.find("?")
            made.append(Remark(Case.SECOND_QUESTION_MARK, place, place + 1, {"name": safe_name(field.name or "")}))
    return made


def _of_brackets_in_list(parsed: Parsed, target: Target) -> Iterator[Remark]:
    """An address with anything but a port beside its brackets (Python, urllib.parse: _check_bracketed_netloc)."""
    text = parsed.text
    for field in parsed.fields:
        if field.role == "host" and text[field.whole : field.whole + 1] == "[":
            if text[field.whole - 1] == "," or text[field.end + 1 : field.end + 2] == ",":
                yield Remark(Case.BRACKETS_IN_LIST, field.whole, field.end + 1, {"driver": target.driver.title})
            return  # it looks at the first [ only


def _of_number(parsed: Parsed, found: Gathered, target: Target) -> list[Remark]:
    """A name where the database is a number; a path that was passed over has no field."""
    facts = {"driver": target.driver.title}
    for field in parsed.fields:
        if field.role == "database" and not found.roles.get("database", "").isdigit():
            return [Remark(Case.NO_SUCH_NUMBER, field.start, field.end, facts)]
    end = max((f.end for f in parsed.fields if f.role in {"scheme", "host", "port", "password"}), default=0)
    path = parsed.text[end:].partition("?")[0].strip("/ ]")
    if path and not path.isdigit() and "database" not in found.roles:
        start = parsed.text.index(path, end)
        return [Remark(Case.NOT_NUMBERED, start, start + len(path), facts)]
    return []


def _of_host(name: str, target: Target) -> Case | None:
    if "\\" in name and not name.startswith("\\") and "instance" not in target.dialect.positions:
        return None if codec_of(target.facts.addresses).instances else Case.BACKSLASH_IN_HOST
    if "@" in name and target.facts.grammar == "url" and "user" not in target.dialect.positions:
        return Case.USER_BEFORE_HOST
    # a ; at the end is told as what it is, a separator that was kept
    if "=" in name or ";" in name[:-1]:
        return Case.OPTION_AMONG_HOSTS
    if name.isdigit():
        return Case.HOST_OF_DIGITS
    odd = not set(name).isdisjoint(":[]") and not is_ipv6(name.partition("%")[0])
    if (target.facts.grammar == "url" or codec_of(target.facts.addresses).port_wins) and name[0] != "/" and odd:
        return Case.NO_SUCH_HOST
    head, colon, tail = name.rpartition(":")
    # where pairs are parted by semicolons, a host's port stands in an option, or behind a comma
    if colon and target.facts.grammar == "semicolon" and tail.isdigit() and ":" not in head and "\\" not in head:
        return Case.PORT_IN_HOST
    return None


def _of_brackets(host: FoundHost, parsed: Parsed, target: Target) -> Case | None:
    """An address without its brackets, which PHP's streams read up to the first colon."""
    if not codec_of(target.facts.addresses).port_wins or ":" not in host.address or host.field is None:
        return None
    return None if "[" in parsed.text[host.field.start : host.field.end] else Case.NO_SUCH_HOST


def _holds_options(field: Field, text: str) -> bool:
    raw = text[field.start : field.end]
    return field.role == "database" and "&" in raw and "=" in raw.partition("&")[2]
