"""Service records: the hosts that a name stands for, and the options that its text record adds.

Source: MongoDB's public specification of the initial DNS seed list, and pymongo 4.20 (srv_resolver.py); RFC 2782.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import NamedTuple
from urllib.parse import parse_qsl

from ..catalog import load_engine
from ..errors import MissingExtra, RecordError, quoted
from ..model import DIRECT, Authentication, Cord, Host, clear

DEFAULT_LIMIT = 5.0
"""How long a name server may take, in seconds."""

_MAY_ADD = {"authsource": "realm", "replicaset": "replica_set", "loadbalanced": "loadBalanced"}


class ServiceRecord(NamedTuple):
    """One host of a service record (RFC 2782)."""

    target: str
    port: int
    priority: int = 0
    weight: int = 0


class Records(NamedTuple):
    """What a name server answers for a service: its hosts, and the texts beside them."""

    hosts: Sequence[ServiceRecord]
    texts: Sequence[str] = ()


Resolver = Callable[[str, str], Records]
"""Given the service (``mongodb``) and the name, gives the records; to be replaced in tests and behind closed doors."""


def ask_name_server(service: str, name: str, *, limit: float = DEFAULT_LIMIT) -> Records:
    """Ask the system's name server, through dnspython.

    Raises
    ------
    MissingExtra
        Without dnspython.
    RecordError
        When there is no such record, or no answer in time.
    """
    try:
        import dns.exception
        import dns.resolver
    except ImportError:
        raise MissingExtra("dnspython", "mongodb", "looking up service records") from None
    try:
        found = dns.resolver.resolve(f"_{service}._tcp.{name}", "SRV", lifetime=limit)
    except dns.exception.DNSException as error:
        raise RecordError(f"the name server has no service record for {quoted(name)}: {type(error).__name__}") from None
    hosts = [ServiceRecord(str(r.target).rstrip("."), r.port, r.priority, r.weight) for r in found]
    try:
        texts = [b"".join(r.strings).decode() for r in dns.resolver.resolve(name, "TXT", lifetime=limit)]
    except dns.exception.DNSException:
        texts = []
    return Records(hosts, texts)


def follow_record(cord: Cord, resolver: Resolver | None = None, limit: float = DEFAULT_LIMIT) -> tuple[Cord, list[str]]:
    """Replace the name of a service record by its hosts; give the cord and what was done, a sentence a step.

    Raises
    ------
    RecordError
        When there is no record, a host lies outside the name's domain, or the text record holds what it must not.
    """
    name, shown = clear(cord.discovery.name or ""), str(cord.discovery.name)
    engine = load_engine(cord.engine)
    service = str(
        next((v for k, v in cord.native if k.endswith("/srvServiceName")), engine.record_service or engine.id)
    )
    answer = resolver(service, name) if resolver is not None else ask_name_server(service, name, limit=limit)
    if not answer.hosts:
        raise RecordError(f"the service record of {shown} names no host")
    domain = name.casefold().split(".")
    # MongoDB, "Initial DNS Seedlist Discovery": hosts must lie in the record's parent domain, else DNS could redirect
    parent = domain[1:] if len(domain) > 2 else domain
    for record in answer.hosts:
        if record.target.casefold().rstrip(".").split(".")[-len(parent) :] != parent:
            raise RecordError(f"the service record of {shown} leads outside its domain, to {record.target}")
    ordered = sorted(answer.hosts, key=lambda r: (r.priority, -r.weight, r.target))
    hosts = tuple(Host(r.target.rstrip("."), r.port) for r in ordered)
    steps = [f"service record of {shown}: {', '.join(map(str, hosts))}"]
    made = cord.copy_with(hosts=hosts, discovery=DIRECT)
    if engine.record_texts:
        made = _add_texts(made, answer.texts, shown, steps)
    return made, steps


def _add_texts(cord: Cord, texts: Sequence[str], shown: str, steps: list[str]) -> Cord:
    if len(texts) > 1:
        raise RecordError(f"{shown} has several text records, and drivers accept one")
    options, login, native = dict(cord.options), cord.authentication, dict(cord.native)
    for key, value in parse_qsl(texts[0] if texts else "", keep_blank_values=True):
        meaning = _MAY_ADD.get(key.casefold())
        if meaning is None:
            raise RecordError(f"the text record of {shown} sets {key}, which drivers do not accept there")
        if meaning == "realm" and login.realm is None:
            login = Authentication(login.method, value)
        elif meaning == "replica_set":
            options.setdefault(meaning, value)
        elif meaning == "loadBalanced":
            native.setdefault("pymongo/loadBalanced", value)
        steps.append(f"text record of {shown}: {key}={value}")
    return cord.copy_with(options=options, authentication=login, native=native)
