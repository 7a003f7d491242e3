"""The first two rungs for servers: each name becomes addresses, and the ports behind them are tried, all at once."""

from __future__ import annotations

import errno
import os
import selectors
import socket
import stat
from contextlib import ExitStack, suppress
from dataclasses import dataclass, field
from ipaddress import ip_address
from time import monotonic
from typing import Any

from ..model import Cord, Host
from ..servers import Deadline, NoAnswer, Reached, Refusal, Wire, refusal_of

_GAI = {getattr(socket, f"EAI_{n}"): n for n in ("NONAME", "NODATA", "AGAIN", "FAIL") if hasattr(socket, f"EAI_{n}")}
FILES_USED_UP = frozenset({errno.EMFILE, errno.ENFILE})
"""Nothing of this is the server's: the process, or the machine, has as many files open as it may."""
_GRACE = 0.3  # s that an address before the one that answered is still waited for, as drivers try them in order
_HOSTS_FILE, _RESOLVER_FILE = "/etc/hosts", "/etc/resolv.conf"
_MOST_HELD = 64 << 10  # bytes of such a file that are looked at


@dataclass(slots=True)
class Address:
    """One address of a host: where it leads, and what came of trying it."""

    host: Host
    family: int
    place: Any
    plug: socket.socket | None = None
    wire: Wire | None = None
    failed: Refusal | None = None

    @property
    def shown(self) -> str:
        """How it is called: a socket's path, or address and port."""
        if self.host.is_socket:
            return str(self.place) if isinstance(self.host.address, str) else str(self.host.address)
        return f"{self.place[0]} port {self.place[1]}"


@dataclass(slots=True)
class Line:
    """What has been found on the way to the servers of a cord; each rung has ``limit`` seconds."""

    server: Reached
    driver: str  # whose TLS is meant: the one through which one logs in
    cord: Cord
    hosts: tuple[Host, ...]
    limit: float
    addresses: list[Address] = field(default_factory=list)
    reached: list[Address] = field(default_factory=list)
    open: ExitStack = field(default_factory=ExitStack)

    def refuse(self, *codes: str, code: str | None = None, **holes: Any) -> Refusal:  # noqa: ANN401
        """Make a refusal of this line's."""
        return refusal_of(*codes, engine=self.cord.engine, code=code, limit=f"{self.limit:g} s", **holes)


def resolve(line: Line) -> list[str]:
    """Turn each host into addresses."""
    deadline = Deadline(line.limit)
    found: list[str] = []
    failed: list[tuple[Host, Refusal]] = []
    named = [host for host in line.hosts if not host.is_socket and not _is_address(host.name)]
    rows = dict(zip(named, deadline.run_all([lambda h=h: _look_up(h) for h in named]), strict=True))  # type: ignore[misc]
    for host in line.hosts:
        if host.is_socket:
            line.addresses.append(Address(host, socket.AF_UNIX, line.server.socket_name(host)))
            found.append(f"{host.address} is a socket")
            continue
        if not host.name:
            raise line.refuse("own:no-host")
        outcome = rows[host] if host in rows else _look_up(host)
        if isinstance(outcome, BaseException):
            failed.append((host, line.refuse(_code_of(outcome), place=host.address)))
            continue
        line.addresses += [Address(host, family, place) for family, place in outcome]
        found.append(_told(host, [place[0] for _, place in outcome]))
    if not line.addresses and failed:
        raise failed[0][1]
    return list(dict.fromkeys([*found, *(refusal.cause for _, refusal in failed)]))


def _is_address(name: str) -> bool:
    """Whether it is an address already, for which nobody is asked."""
    try:
        ip_address(name)
    except ValueError:
        return False
    return True


def _look_up(host: Host) -> list[tuple[int, Any]]:
    """Ask the resolver, which knows no time limit; the same address may stand for several kinds of sockets."""
    rows = socket.getaddrinfo(host.name, host.port, type=socket.SOCK_STREAM)
    return [(family, address) for family, _, _, _, address in rows]


def _code_of(error: BaseException) -> str:
    if isinstance(error, socket.gaierror):
        return f"gai:{_GAI.get(error.errno or 0, 'FAIL')}"
    if isinstance(error, OSError) and error.errno in FILES_USED_UP:
        return f"errno:{errno.errorcode[error.errno]}"
    if isinstance(error, NoAnswer):
        return "timeout:resolve"
    return "idna" if isinstance(error, UnicodeError) else "gai:FAIL"


def _told(host: Host, addresses: list[str]) -> str:
    """A host with its addresses, and who knew them."""
    if addresses == [host.name]:
        return host.name
    listed = ", ".join(dict.fromkeys(addresses))
    return f"{host.address} is {listed}{_source(host.name, addresses)}"


def _source(name: str, addresses: list[str]) -> str:
    """Who knew the addresses: the hosts file, or the name servers that the resolver asks."""
    for words in _lines_of(_HOSTS_FILE):
        if words and words[0] in addresses and name.casefold() in (word.casefold() for word in words[1:]):
            return f" (from {_HOSTS_FILE})"
    servers = [words[1] for words in _lines_of(_RESOLVER_FILE) if len(words) > 1 and words[0] == "nameserver"]
    return f" (by the name server {servers[0]})" if servers else ""


def _lines_of(path: str) -> list[list[str]]:
    with suppress(OSError), open(path, encoding="utf-8", errors="replace") as stream:
        return [line.partition("#")[0].split() for line in stream.read(_MOST_HELD).splitlines()]
    return []


def reach(line: Line) -> list[str]:
    """Open a connection to each host, at the first of its addresses that answers."""
    deadline = Deadline(line.limit)
    with selectors.DefaultSelector() as waiting:
        for address in line.addresses:
            _begin(line, address, waiting)
        _await_all(line, waiting, deadline)
    for address in line.addresses:
        if address.plug is not None and address.failed is None:
            address.plug.setblocking(True)
    for host in dict.fromkeys(address.host for address in line.addresses):
        tried = [one for one in line.addresses if one.host is host]
        if (first := next((one for one in tried if _answers(one)), None)) is not None:
            line.reached.append(first)
    if not line.reached:
        raise line.addresses[-1].failed or line.refuse("timeout:reach", place=line.addresses[-1].shown)
    return _report(line)


def _answers(address: Address) -> bool:
    return address.plug is not None and address.failed is None


def _begin(line: Line, address: Address, waiting: selectors.BaseSelector) -> None:
    try:
        plug = line.open.enter_context(socket.socket(address.family, socket.SOCK_STREAM))
        plug.setblocking(False)
        code = plug.connect_ex(address.place)
    except (OSError, OverflowError) as error:  # a path that is too long for a socket
        code = getattr(error, "errno", 0) or errno.EINVAL
        plug = None
    if code in {0, errno.EISCONN}:
        address.plug = plug
    elif code == errno.EINPROGRESS and plug is not None:
        address.plug = plug
        address.failed = line.refuse("timeout:reach", place=address.shown)  # until it is known better
        waiting.register(plug, selectors.EVENT_WRITE, address)
    else:
        address.failed = _unreached(line, address, code)


def _await_all(line: Line, waiting: selectors.BaseSelector, deadline: Deadline) -> None:
    """Wait until every host has an address that answers, or none left, and a little more for earlier addresses."""
    ends: float | None = None
    while waiting.get_map():
        try:
            left = deadline.left
        except NoAnswer:
            break
        hosts = {address.host for address in line.addresses}
        if hosts == {one.host for one in line.addresses if _answers(one)}:
            ends = ends or monotonic() + _GRACE
            left = min(left, ends - monotonic())
            if left <= 0:
                break
        for key, _ in waiting.select(left):
            address: Address = key.data
            waiting.unregister(key.fileobj)
            code = key.fileobj.getsockopt(socket.SOL_SOCKET, socket.SO_ERROR)  # type: ignore[union-attr]
            address.failed = _unreached(line, address, code) if code else None


def _unreached(line: Line, address: Address, code: int) -> Refusal:
    name = errno.errorcode.get(code, str(code))
    if not address.host.is_socket:
        # of IPv6 it says that this machine has none; else that no port is left to connect from (connect(2))
        six = [f"errno:{name}/inet6"] if address.family == socket.AF_INET6 else []
        return line.refuse(*six, f"errno:{name}", place=address.shown, name=os.strerror(code))
    if name == "ECONNREFUSED" and not _is_socket(address.place):
        name = "ENOTSOCK"
    return line.refuse(f"unix:{name}", place=address.shown, name=os.strerror(code))


def _is_socket(path: str) -> bool:
    try:
        return stat.S_ISSOCK(os.stat(path).st_mode)
    except OSError:
        return True


def _report(line: Line) -> list[str]:
    """What is told of each address that was tried in vain before one that answers, and of each host."""
    told, single = [], len({address.host for address in line.addresses}) == 1
    for host in dict.fromkeys(address.host for address in line.addresses):
        tried = [one for one in line.addresses if one.host is host]
        first = next((one for one in line.reached if one.host is host), None)
        vain = tried if first is None else tried[: tried.index(first)]
        told += [one.failed.cause for one in vain if one.failed is not None]
        if first is not None:
            told.append(f"{first.shown} answers" if single or host.is_socket else f"{host} answers")
    return list(dict.fromkeys(told))
