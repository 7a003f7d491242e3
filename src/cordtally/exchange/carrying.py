"""Writes a text into an option of another text: a data source among arguments, a whole string in a URL's query.

What the outer notation has words for stays outside; the rest goes into the carried text, with its ledger lines.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from ..model import DIRECT, NO_AUTHENTICATION, Authentication, Cord, Tls
from ..notation import plain
from .ledger import LedgerLine, Outcome
from .sheet import Sheet
from .targets import choose_target

if TYPE_CHECKING:
    from .writing import Writing


def write_carried(sheet: Sheet, option: str, target: str, *, write: Callable[[Cord, str], Writing]) -> Cord:
    """Write what belongs into the carried text, as the value of an option; give what stays outside."""
    inner_driver = choose_target(target, sheet.cord).driver
    outer, inner = _divide(sheet, inner_driver.id)
    writing = write(inner, target)
    inside = [line for line in writing.ledger if line.part != "engine"]
    sheet.through[option] = list(range(len(sheet.lines), len(sheet.lines) + len(inside)))
    sheet.lines += inside
    text = writing.text.unmask()
    if text:
        if str(writing.text) != text:
            sheet.secrets.add(option)
        reason = "holds the parts that are not written beside it"
        sheet.put_under([plain("option", option, text)], LedgerLine(option, None, f"{option}=…", Outcome.ADDED, reason))
    return outer


def _divide(sheet: Sheet, inner_driver: str) -> tuple[Cord, Cord]:
    cord, loaded = sheet.cord, sheet.loaded
    words, positions = loaded.by_canonical, loaded.dialect.positions

    def outside(role: str) -> bool:
        return role in words or role in positions

    driver = loaded.driver
    has_tls = any(all(loaded.option(name) is not None for name, _ in row.set) for row in driver.tls)
    has_login = any(all(loaded.option(name) is not None for name, _ in row.set) for row in driver.authentication)
    files = {name: getattr(cord.tls, name) for name in Tls.__slots__}
    mine = {n: v for n, v in files.items() if (has_tls if n == "level" else outside(f"tls.{n}"))}
    login = cord.authentication
    realm_out = outside("realm")
    own = (login.method if has_login else None, login.realm if realm_out else None)
    rest = (None if has_login else login.method, None if realm_out else login.realm)
    discovery = cord.discovery != DIRECT and outside(cord.discovery.kind.value)
    options = dict(cord.options)
    native = dict(cord.native)
    inner_native = {k: v for k, v in native.items() if k.partition("/")[0] == inner_driver and not _takes(sheet, k)}
    outer = Cord(
        cord.engine,
        cord.hosts if outside("host") else (),
        cord.database if outside("database") else None,
        cord.user if outside("user") else None,
        cord.password if outside("password") else None,
        Authentication(*own) if own != (None, None) else NO_AUTHENTICATION,
        Tls(**mine),
        cord.discovery if discovery else DIRECT,
        tuple((k, v) for k, v in options.items() if k in words),
        tuple((k, v) for k, v in native.items() if k not in inner_native),
    )
    inner = Cord(
        cord.engine,
        () if outside("host") else cord.hosts,
        None if outside("database") else cord.database,
        None if outside("user") else cord.user,
        None if outside("password") else cord.password,
        Authentication(*rest) if rest != (None, None) else NO_AUTHENTICATION,
        Tls(**{n: v for n, v in files.items() if n not in mine}),
        DIRECT if discovery else cord.discovery,
        tuple((k, v) for k, v in options.items() if k not in words),
        tuple(inner_native.items()),
    )
    return outer, inner


def _takes(sheet: Sheet, full_name: str) -> bool:
    option = sheet.loaded.option(full_name.partition("/")[2])
    return option is not None and option.vocabulary == full_name.partition("/")[0]
