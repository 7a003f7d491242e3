"""Slips that a driver takes without a word, and nobody means: an option among the hosts, a port in a name, a lost ?.

Each is told from the parts as they were read; the words for them are facts of the catalog, ``remarks.toml``.
"""

from __future__ import annotations

from ..notation import Case, Field, Parsed, Remark
from .gathering import Gathered
from .targets import Target

_TELLING = frozenset("=;:")
_NOWHERE = Field("host", None, "")


def find_slips(parsed: Parsed, found: Gathered, target: Target) -> list[Remark]:
    """Give the slips in a text that was read."""
    remarks: dict[tuple[Case, int], Remark] = {}  # several hosts may stand in one field: one remark is enough
    for host in found.hosts:
        if (not _TELLING.isdisjoint(host.address) or host.address.isdigit()) and (
            case := _of_host(host.address, target)
        ) is not None:
            field = host.field or _NOWHERE
            remarks[case, field.start] = Remark(case, field.start, field.end, {"driver": target.driver.title})
    made = list(remarks.values())
    grammar = target.facts.grammar
    if grammar == "url" and "&" in found.roles.get("database", ""):
        made += [
            Remark(Case.OPTIONS_IN_NAME, f.start, f.end, {}) for f in parsed.fields if _holds_options(f, parsed.text)
        ]
    elif grammar == "keyword":
        ended = [f for f in parsed.fields if type(f.value) is str and f.value[-1:] in {";", ","}]
        made += [Remark(Case.SEPARATOR_KEPT, f.end - 1, f.end, {"name": f.name or ""}) for f in ended]
    return made


def _of_host(name: str, target: Target) -> Case | None:
    # a ; at the end is told as what it is, a separator that was kept
    if "=" in name or ";" in name[:-1]:
        return Case.OPTION_AMONG_HOSTS
    if name.isdigit():
        return Case.HOST_OF_DIGITS
    head, colon, tail = name.rpartition(":")
    # where pairs are parted by semicolons, a host's port stands in an option, or behind a comma
    if colon and target.facts.grammar == "semicolon" and tail.isdigit() and ":" not in head and "\\" not in head:
        return Case.PORT_IN_HOST
    return None


def _holds_options(field: Field, text: str) -> bool:
    raw = text[field.start : field.end]
    return field.role == "database" and "&" in raw and "=" in raw.partition("&")[2]
