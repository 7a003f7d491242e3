"""Gives raw parts their meaning in a driver's vocabulary: a cord, with the place of each part and what is doubtful.

Values are left to ``codecs``, TLS and log-in tables to ``tables``, the text itself to the grammar. What the walk finds
is gathered in `Gathered`; ``assembling`` makes the cord of it.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from functools import lru_cache
from operator import attrgetter

from ..catalog import Driver, Option, find_nearest
from ..model import MASK, MaskedText, OptionValue, Secret, Words
from ..model.suspicion import guard, guard_host, guard_path, guard_user, safe_name, sounds_secret
from ..notation import Case, Field, Parsed, Remark
from ..text import as_text
from . import inner_texts
from .addresses import ADDRESSES
from .assembling import assemble
from .codecs import Misread, read_value
from .concealing import secret_spans, unread_spans
from .conflicts import note_conflicts, note_lone
from .gathering import FoundHost, Gathered, Interpretation, OptionRow, Part
from .repeating import keep_heeded
from .slips import find_slips
from .targets import Target

_MOST_ADVICE = 50  # looking for the nearest name takes longer than all else: not for every line of a hostile text
_ESCAPES = str.maketrans({c: "\\" + c for c in "'\\"})
_START_OF = attrgetter("start")
_new = tuple.__new__  # half the time of a named tuple's own call; a text makes one for each of its parts
_LOGIN = {"user", "password"}
_GUARDS = {"user": guard_user, "host": guard_host, "database": guard_path, "alias": guard_path, "socket": guard_host}


def interpret(parsed: Parsed, target: Target, *, engine: str | None) -> Interpretation:
    """Give raw parts their meaning in a driver's vocabulary."""
    return Interpreter(target).interpret(parsed, engine)


class Interpreter:
    """Walks the fields of one text, each to the method that its canonical name has in `_HANDLERS`."""

    __slots__ = ("driver", "found", "in_object", "placed", "positional_hosts", "target")

    def __init__(self, target: Target) -> None:
        self.target, self.driver, self.found = target, target.driver, Gathered()
        self.positional_hosts = self.in_object = False
        self.placed: list[FoundHost] = []

    def interpret(self, parsed: Parsed, engine: str | None) -> Interpretation:
        """Walk the fields and make the cord."""
        found, target = self.found, self.target
        found.remarks.extend(parsed.remarks)
        # before all else: rediss:// or mongodb+srv:// states TLS or a look-up, and an option may still speak against it
        if target.facts.scheme_words:
            self._take_scheme(str(parsed.fields[0].value))
        options = self._take_positions(parsed.fields)
        heeded = options
        if target.facts.scheme_ports:
            self._take_port_of_scheme(str(parsed.fields[0].value))
        if options:
            heeded = keep_heeded(self, options)
            # libpq and others let host= replace the authority, so what stands there is known before options are taken
            self.positional_hosts, self.placed = bool(found.hosts), list(found.hosts)
            for field in heeded:
                self.take(field)
        if self.driver.file_uris is not None:
            inner_texts.take_file_uri(self, *self.driver.file_uris)
        cord = assemble(found, target, engine or self.driver.engine_of(found.roles.get("database")))
        # after the cord: a conflict needs all options, and costs a dictionary that most drivers do without
        triggers = target.triggers
        if self.driver.conflicts and (triggers is None or not triggers.isdisjoint([part.name for part in found.parts])):
            note_conflicts(found, target, len(parsed.text))
        if target.needy:
            note_lone(found, target)
        found.remarks += find_slips(parsed, found, target)
        # a URL has its parts in the order of its text; elsewhere repeated or carried ones come out of turn
        in_order = target.facts.grammar == "url" and heeded is options and found.carried is None
        if not in_order:
            found.parts.sort(key=_START_OF)
        spans = secret_spans(found.parts, parsed.text)
        if target.facts.grammar == "url":
            last = parsed.fields[len(parsed.fields) - len(options) - 1] if len(options) < len(parsed.fields) else None
            spans += unread_spans(parsed, last, options)
        return _new(Interpretation, (cord, tuple(found.parts), tuple(found.rows), tuple(found.remarks), spans))

    def _take_positions(self, fields: tuple[Field, ...]) -> list[Field]:
        """Take the parts that have a place of their own, and give the options."""
        found = self.found
        parts, hosts, options = found.parts, found.hosts, []
        ports: list[int | None] = []
        # SQLAlchemy hands "h1,h2" and one port on; libpq takes them apart, and asyncpg would look up that name
        facts = self.target.facts
        shared = facts.hosts == "paired" and facts.grammar == "url" and self.driver.passes_text
        for field in fields:
            role, _, given, start, end, whole = field
            if role == "option":
                options.append(field)
                continue
            value: str = given  # type: ignore[assignment] # only options have values that are no texts
            secret = role == "password"
            if role == "port":
                port = self._port(value, field)
                ports.append(port)
                for host in hosts if shared else hosts[-1:]:
                    host.port = port
            elif role == "instance":
                hosts[-1].instance = value
            elif role != "scheme":
                if role in {"host", "socket"}:
                    hosts.append(FoundHost(value, field))
                    if shared and "," in value:
                        hosts[-1:] = [FoundHost(name, field) for name in value.split(",")]
                else:
                    found.roles[role] = value
                # most are letters and digits, which give nothing away
                if not secret and not value.isalnum():
                    secret = _GUARDS.get(role, guard)(value) is not value
            parts.append(_new(Part, (role, None, start, end, secret, whole)))
        several = len(hosts) + len(ports) > 2
        if several and getattr(getattr(self.target.dialect, "hosts", None), "ports", "") == "shifted":
            # pgx gathers the ports that it finds (pgconn, config.go: parseURLSettings)
            for index, host in enumerate(hosts if ports else ()):
                host.port = ports[index] if index < len(ports) else ports[0]
        return options

    def take(self, field: Field) -> None:
        """Take one option."""
        _, given, value, start, end, whole = field
        name, target = given or "", self.target
        option = target.by_spelling.get(name if target.exact else name.casefold())
        # "ssl.ca" in a URL is no member of ssl
        flat = target.members and target.facts.grammar == "url" and not self.in_object and "." in name
        if flat and option is not None and option.name.partition(".")[0] in target.members:
            option = None
        text = value if type(value) is str else self._word_for(value, option)
        if option is None:
            self.take_unknown(name, text, field, self.driver)
            return
        if option.name in target.boxed and inner_texts.take_boxed(self, text, field, option):
            return
        members = option.type == "object" and option.name in target.members
        if members and inner_texts.take_members(self, value, field, option):
            return
        canonical = option.canonical or ""
        handler = _HANDLERS.get(canonical)
        if handler is None:
            secret = self.take_value(name, text, field, option, self.driver)
            role = "tls.level" if canonical == "tls.level" else "option"
        else:
            handler(self, text, field, option)
            if option.shape is not None and isinstance(misread := read_value(option, self.driver, text), Misread):
                self.found.remarks.append(Remark(misread.case, start, end, misread.facts))
            role = _ROLES[canonical]
            if role == "host" and target.facts.addresses is not None:
                secret = any(guard_host(a.host) is not a.host for a in ADDRESSES[target.facts.addresses].read(value))
            else:
                secret = option.secret or role == "password" or _GUARDS.get(role, guard)(text) is not text
        self.found.parts.append(_new(Part, (role, name, start, end, secret, whole)))

    def _word_for(self, value: object, option: Option | None) -> str:
        """Give the word for a value that is none, as arguments have."""
        if isinstance(value, bool) and option is not None and option.type == "bool" and option.values is None:
            return (self.driver.true_words if value else self.driver.false_words)[0]
        return as_text(value)

    # What stands for a part of the cord: one method a canonical name, see `_HANDLERS`.

    def _take_file(self, text: str, field: Field, option: Option) -> None:
        self.found.files[(option.canonical or "").removeprefix("tls.")] = text
        self.found.given.add(option.name)

    def _take_host(self, text: str, field: Field, option: Option) -> None:
        """A host given as an option stands for those of the authority, and joins other ones that were given so."""
        found, facts = self.found, self.target.facts
        if found.socket and self._reaches(text):
            self._pass_over_socket(found.hosts[0].field or field)
            found.socket, found.hosts[:] = False, self.placed
        if found.socket or (self.positional_hosts and not self._wins("host", text, found.hosts[0].address)):
            return
        # a port that stands in the authority stays, though its host goes: libpq reads @:6432/db?host=/run so
        if self.positional_hosts and found.ports is None:
            several = len(found.hosts) > 1 and facts.host_options in {"paired", "mixed"}
            if self.target.dialect.repeated == "list":
                found.ports = None if found.hosts[0].port is None else [found.hosts[0].port]
            elif several or any(h.port is not None for h in found.hosts):
                found.ports = [h.port for h in found.hosts]
        # those of the authority go; what further options of the kind said stays, and joins this one
        found.hosts[:] = [h for h in found.hosts if h.field is not None and h.field.role == "option"]
        if facts.host_options == "lists" and isinstance(field.value, list):
            found.hosts += [FoundHost(as_text(name), field) for name in field.value]
            return
        if facts.addresses is None:
            self._split_hosts(text, field)
            return
        for address in ADDRESSES[facts.addresses].read(field.value):
            found.hosts.append(FoundHost(address.host, field, None, address.instance))
            if address.port is not None:
                found.hosts[-1].port = self._port(address.port, field)
            if address.scheme is not None:
                found.tls["(scheme)"] = address.scheme
                found.given.add("(scheme)")
            if address.network is not None:
                found.options["network_protocol"] = address.network

    def _take_further_host(self, text: str, field: Field, option: Option) -> None:
        for piece in text.split("\n"):
            self._split_hosts(piece, field)

    def _take_port(self, text: str, field: Field, option: Option) -> None:
        placed = [self.found.hosts[0].port] if self.positional_hosts else []
        unsaid = placed == [None] and "port" in self.driver.query_fills
        if placed and not unsaid and not self._wins("port", text, str((self.found.ports or placed)[0] or "")):
            return
        ports = text.split(",") if self.target.facts.host_options in {"paired", "mixed"} else [text]
        if isinstance(field.value, list):
            ports = [as_text(port) for port in field.value]
        self.found.ports = [self._port(p, field) for p in ports]
        # where the query wins, its port stands for that of the authority, too
        if self.positional_hosts:
            for host in self.found.hosts:
                host.port = None

    def _take_socket(self, text: str, field: Field, option: Option) -> None:
        if not text:  # an empty one is none, to every driver asked
            return
        folder, slash, name = text.rpartition("/")
        file = self.driver.socket_file
        if any(self._reaches(host.address) for host in self.found.hosts):
            self._pass_over_socket(field)
            return
        self.found.socket = True
        if file is not None and slash and name.startswith(file) and name[len(file) :].isdigit():
            self.found.hosts[:] = [FoundHost(folder, field, self._port(name[len(file) :], field))]
        else:
            self.found.hosts[:] = [FoundHost(text, field)]

    def _reaches(self, host: str) -> bool:
        """Whether a host is reached over the network, whatever socket is given, as with MySQL's client libraries."""
        return self.driver.localhost_is_socket and host not in {"", "localhost"} and not host.startswith("/")

    def _pass_over_socket(self, field: Field) -> None:
        why = f"{self.driver.title} passes over the socket beside a host that is not localhost"
        self.found.remarks.append(
            Remark(Case.CONFLICT, field.start, field.end, {"why": why, "hint": "keep one of them"})
        )

    def _take_instance(self, text: str, field: Field, option: Option) -> None:
        if not self.found.hosts:
            self.found.hosts.append(FoundHost("", None))
        self.found.hosts[0].instance = text

    def _take_role(self, text: str, field: Field, option: Option) -> None:
        role, roles = option.canonical or "", self.found.roles
        if option.name in self.target.conditions:  # Kafka's SASL_SSL is TLS with a log-in
            self.found.given.add(option.name)
        placed = self.driver.settled_login and any(p.name is None and p.role in _LOGIN for p in self.found.parts)
        if placed and role in _LOGIN:
            why = f"{self.driver.title} takes user and password from before the @ alone: this one is lost"
            facts = {"why": why, "hint": "write it there"}
            self.found.remarks.append(Remark(Case.CONFLICT, field.start, field.end, facts))
        elif role not in roles or role not in self.target.dialect.positions or self._wins(role, text, roles[role]):
            roles[role] = text

    def _wins(self, role: str, text: str, placed: str) -> bool:
        """Whether an option counts, and not what stands in its place in the URL."""
        # lib/pq sorts what it has escaped, and heeds the last (url.go: ParseURL)
        if self.driver.query_order == "sorted":
            return text.translate(_ESCAPES) > placed.translate(_ESCAPES)
        return role in self.driver.query_wins

    def _take_scheme(self, prefix: str) -> None:
        """A prefix that means more than the notation stands for an option of its own."""
        found, target = self.found, self.target
        option, word = target.option("(scheme)"), target.facts.scheme_words.get(prefix)
        if option is None or word is None:
            return
        found.given.add(option.name)
        if option.canonical == "tls.level":
            found.tls[option.name] = word
        elif option.canonical is not None:
            value = read_value(option, self.driver, word)
            if value is not None and not isinstance(value, Misread):
                found.options[option.canonical] = value

    def _take_port_of_scheme(self, prefix: str) -> None:
        """A prefix may have a usual port of its own: amqps:// leads to 5671, https:// to 443."""
        usual = self.target.facts.scheme_ports.get(prefix)
        for host in self.found.hosts:
            if host.port is None and host.address and host.address[0] != "/":
                host.port = usual

    # Values.

    def take_unknown(self, name: str, text: str, field: Field, driver: Driver, *, inside: bool = False) -> None:
        """Take an option that the driver does not know, as one of its own; ``inside`` another text it has no place."""
        found, shown = self.found, safe_name(name)
        nearest = find_nearest(name, driver.by_spelling) if len(found.remarks) < _MOST_ADVICE else ()
        meant = driver.by_spelling[nearest[0]] if nearest else None
        # a key that no driver knows is masked on suspicion: a wrong guess costs looks, the other way a password
        secret = shown == MASK or sounds_secret(name) or guard(text) is not text
        secret = secret or (meant is not None and meant.secret)  # a mistyped password is one, too
        value: OptionValue = Secret(text) if secret else text
        if not inside:
            start = field.whole if shown == MASK else field.start
            found.parts.append(Part("option", shown, start, field.end, secret, field.whole))
        found.native[f"{driver.id}/{name}"] = value
        found.rows.append(OptionRow(shown, None, "" if secret else text, value))
        facts = {
            "driver": driver.title,
            "id": driver.id,
            "name": shown,
            "fate": "ignored" if driver.passes_over and name[:1].isupper() else driver.unknown_options,
            "nearest": meant.name if meant is not None else "",
        }
        found.remarks.append(Remark(Case.UNKNOWN, field.whole, field.end, facts))

    def take_value(self, name: str, text: str, field: Field, option: Option, driver: Driver) -> bool:
        """Take an option that stands for itself; give whether it is a secret, or contains one."""
        found, canonical = self.found, option.canonical
        understand = _understand if option.type == "str" or option.secret else _understand_word
        row, misread = understand(name, text, option, driver)
        value = row.value
        if option.canonical_if is not None and re.fullmatch(option.canonical_if, text) is None:
            canonical = None
        if misread is not None:
            found.remarks.append(Remark(misread.case, field.start, field.end, misread.facts))
        if canonical in {"tls.level", "authentication"}:
            # a word that the driver does not know may mean something to it all the same, as to node-postgres
            word = text if value is None else as_text(value)
            (found.tls if canonical == "tls.level" else found.auth)[option.name] = word
            found.given.add(option.name)
        elif misread is not None and misread.value is None:
            found.native[f"{option.vocabulary}/{option.name}"] = Secret(text) if option.secret else text
        elif canonical is None or value is None:
            found.native[f"{option.vocabulary}/{option.name}"] = Secret(text) if option.secret else text
            if option.name in self.target.conditions:
                found.given.add(option.name)
        else:
            found.options[canonical] = value
        found.rows.append(row)
        return option.secret or type(row.raw) is MaskedText

    def _split_hosts(self, text: str, field: Field) -> None:
        style = self.target.facts.host_options
        listed = self.target.dialect.repeated == "list" and self.target.facts.hosts != "single"
        named = style in {"inline", "further", "mixed"} or listed
        for piece in text.split(",") if style not in {"single", "further", "lists"} else [text]:
            address, port = piece, None
            if named and not piece.startswith("/"):
                head, colon, tail = piece.rpartition(":")
                if colon and tail.isascii() and tail.isdigit() and (":" not in head or head.endswith("]")):
                    address, port = head, self._port(tail, field)
            # where a list has no ports in it, nothing is in brackets for them, and libpq looks up "[::1]" as a name
            if style in {"inline", "further", "mixed"} and address.startswith("[") and address.endswith("]"):
                address = address[1:-1]
            self.found.hosts.append(FoundHost(address, field, port))

    def _port(self, text: str, field: Field) -> int | None:
        clean = text.strip()
        if not clean:
            return None
        number = int(clean) if len(clean) < 10 and clean.isdigit() and clean.isascii() else -1
        # remarked and not refused: the drivers pass it on, and the operating system is what refuses it
        if not 1 <= number <= 65535:
            self.found.remarks.append(Remark(Case.PORT, field.start, field.end, {}))
        return number if number >= 0 else None

    @staticmethod
    def is_secret(name: str, driver: Driver) -> bool:
        """Whether an option's value is a secret, or sounds like one."""
        option = driver.option(name)
        return option.secret if option is not None else sounds_secret(name)


def _understand(name: str, text: str, option: Option, driver: Driver) -> tuple[OptionRow, Misread | None]:
    """Give the row of an option, and why its word is none for the driver."""
    value = read_value(option, driver, text)
    raw: Words = "" if option.secret else text
    # where nothing was made of a text it may be anything, a misplaced secret too
    if value is text:
        raw = value = guard(text)
    elif not option.secret and (value is None or isinstance(value, Misread)):
        raw = guard(text)
    if isinstance(value, Misread):
        return OptionRow(name, option, raw, value.value), value
    return OptionRow(name, option, raw, value), None


_understand_word = lru_cache(maxsize=1024)(_understand)
"""The same for numbers and words of a list, which come again and again; free texts are not kept."""


Handler = Callable[[Interpreter, str, Field, Option], None]
_HANDLERS: Mapping[str, Handler] = {
    "host": Interpreter._take_host,
    "further_host": Interpreter._take_further_host,
    "port": Interpreter._take_port,
    "socket": Interpreter._take_socket,
    "instance": Interpreter._take_instance,
    **dict.fromkeys(("database", "user", "password", "service", "realm"), Interpreter._take_role),
    **dict.fromkeys(inner_texts.FILES, Interpreter._take_file),
}


_ROLES = {name: name for name in (*_HANDLERS, "tls.level")} | {"socket": "host", "further_host": "host"}
"""Under which role a part is listed, by its canonical name; everything else is an option."""
