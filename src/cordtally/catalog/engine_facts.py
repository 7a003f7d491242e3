"""The shapes of facts about engines, and about places where they are run."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Literal

from ..records import Record
from .facts import NOTHING, Level


class Engine(Record):
    """One database system: what it assumes where a text is silent, and who its administrators are.

    ``service_target`` reads its file of named services, ``password_file`` says that its clients look passwords up,
    ``record_texts`` that a text record may add to a service record, ``record_service`` under which name that stands,
    ``wallets`` that certificates are kept in one, and ``windows_log_in`` that its everyday texts ask for that.

    An engine of a ``family`` speaks that engine's protocol: what its file does not say is as there, and the drivers
    of that engine are its own; where ``checked`` is not so, its facts are from documentation. Engines of one
    ``protocol`` may be one and the same server to their drivers. A server may listen on ``other_ports``, too. A
    database's name has at most ``name_length`` of what ``name_counts``, none of the characters that it
    ``name_refuses``; an unquoted one is made small where the engine ``folds_names``; one may be a path; where none is
    stated it is the ``database_of_user``. Nobody's tables belong into ``system_databases``, and nobody may connect to
    ``refused_databases``. Accounts of ``administrators_in`` a database are kept there, and ``whole_charset`` has
    every character that the engine stores. A ``port_names_socket`` where the file of a socket is called after it.
    Where the port depends on the protocol, ``native_ports`` are those of the engine's own, without TLS and with it,
    and ``http_ports`` those over HTTP. It ``wants`` these options set so, whoever runs it.
    What a cord calls a database may be something else there, which ``database_is``.
    """

    id: str
    title: str
    source: str
    administrators: tuple[str, ...]
    protocol: str | None = None
    family: str | None = None
    default_port: int | None = None
    default_host: str | None = None
    default_user: str | None = None
    default_database: str | None = None
    database_case_counts: bool = True
    service_target: str | None = None
    password_file: bool = False
    record_service: str | None = None
    record_texts: bool = False
    wallets: bool = False
    embedded: bool = False
    windows_log_in: bool = False
    other_ports: tuple[int, ...] = ()
    name_length: int | None = None
    name_counts: Literal["characters", "bytes"] = "characters"
    name_refuses: str = ""
    folds_names: bool = False
    database_is_path: bool = False
    database_of_user: bool = False
    system_databases: tuple[str, ...] = ()
    refused_databases: tuple[str, ...] = ()
    port_names_socket: bool = False
    native_ports: tuple[int, ...] = ()
    http_ports: tuple[int, ...] = ()
    replica_sets: bool = False
    administrators_in: str = ""
    whole_charset: str = ""
    wants: Mapping[str, object] = NOTHING
    database_is: str = ""
    checked: bool = True

    @property
    def own_databases(self) -> tuple[str, ...]:
        """Those that are no application's."""
        return self.system_databases + self.refused_databases


class Service(Record):
    """A place that is known by its hosts' names: a managed service, a balancer, a pooler in between.

    ``hosts`` are patterns of names, with ``*`` for any piece, the first place that fits being meant; ``engines`` are
    those that are there. ``retired`` says since when it has ended; after ``idle_limit`` it drops a silent connection;
    users have a ``plain_user`` name, where an earlier form had the server behind an ``@``; with ``shares`` a pooler
    stands in between, which gives each ``transaction`` another connection, at these ``ports`` where there are any.

    It listens on ``port``, where that is not the engine's own, and ``demands_tls`` or does not; ``tls`` is the highest
    level that can be had without a file of the service's own, whose ``authority`` is named otherwise. It lets in by
    these ways to ``log_in``; ``token`` says where one comes from, and how long it lives, ``user`` what the name looks
    like. It ``wants`` these options set so; ``srv`` tells whether a service record leads there, where that is known.
    """

    id: str
    title: str
    hosts: tuple[str, ...]
    source: str
    retired: str = ""
    idle_limit: str = ""
    plain_user: bool = False
    shares: Literal["", "transaction", "session"] = ""
    ports: tuple[int, ...] = ()
    engines: tuple[str, ...] = ()
    port: int | None = None
    demands_tls: bool = False
    tls: Level | None = None
    authority: str = ""
    log_in: tuple[str, ...] = ()
    token: str = ""
    user: str = ""
    wants: Mapping[str, object] = NOTHING
    srv: bool | None = None
    checked: bool = False
