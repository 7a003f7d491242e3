"""Gives raw parts their meaning in a driver's vocabulary: a cord, with the place of each part and what is doubtful.

Values are left to ``codecs``, TLS and log-in tables to ``states``, the text itself to the grammar.
"""

from __future__ import annotations

import re
from operator import attrgetter

from ..catalog import Driver, Option, find_nearest
from ..errors import TextError
from ..model import (
    MASK,
    OptionValue,
    Secret,
)
from ..model.secret import SECRET_WORD, hides_secret
from ..notation import Field, GrammarError, Parsed, Remark, as_text
from .addresses import ADDRESSES
from .assembling import assemble
from .codecs import Misread, read_value
from .detection import notation_of
from .gathering import FoundHost, Gathered, Interpretation, OptionRow, Part
from .states import match_state
from .targets import Loaded, load_target

_MOST_ADVICE = 50
_START_OF = attrgetter("start")
_SOUNDS_SECRET = re.compile(SECRET_WORD, re.IGNORECASE)


def interpret(parsed: Parsed, loaded: Loaded, *, engine: str | None) -> Interpretation:
    """Give raw parts their meaning in a driver's vocabulary."""
    driver, dialect = loaded.driver, loaded.dialect
    found = Gathered()
    found.remarks.extend(parsed.remarks)
    option_fields: list[Field] = []
    parts = found.parts
    if loaded.facts.scheme_words:
        _take_scheme(str(parsed.fields[0].value), loaded, found)
    for field in parsed.fields:
        role = field.role
        if role == "option":
            option_fields.append(field)
            continue
        value = str(field.value)
        if role == "host":
            found.hosts.append(FoundHost(value, field))
        elif role == "port":
            found.hosts[-1].port = _port(value, field, found)
        elif role == "instance":
            found.hosts[-1].instance = value
        elif role == "socket":
            found.hosts.append(FoundHost(value, field))
        elif role != "scheme":
            found.roles[role] = value
        secret = role == "password" or ("=" in value and hides_secret(value))
        parts.append(Part(role, None, field.start, field.end, secret, field.whole))
    heeded = option_fields
    if option_fields:
        heeded = _effective(option_fields, dialect.repeated, loaded, found)
        _walk_options(heeded, loaded, found)
    cord = assemble(found, loaded, engine or driver.engines[0])
    if driver.conflicts:
        _note_conflicts(found, driver, len(parsed.text))
    spans = [(start, end) for _, _, start, end, secret, _ in parts if secret]
    for host in found.hosts:
        if host.field is not None and "@" in host.address[1:]:
            spans.append(_password_tail(host.field, parsed.text))
    in_order = loaded.facts.grammar == "url" and heeded is option_fields and found.carried is None
    if not in_order:
        parts.sort(key=_START_OF)
    return Interpretation(cord, tuple(found.parts), tuple(found.rows), tuple(found.remarks), spans)


def _password_tail(field: Field, text: str) -> tuple[int, int]:
    """What stands before an ``@`` inside a host may be the end of a password, and is masked with it."""
    at = max(text.rfind("@", field.start, field.end), text.rfind("%40", field.start, field.end))
    return field.start, max(at, field.start)


def _effective(fields: list[Field], repeated: str, loaded: Loaded, found: Gathered) -> list[Field]:
    """Keep of repeated keys the one that the driver heeds; a list keeps them all."""
    if len(fields) == 1 or repeated == "list" or len({field.name for field in fields}) == len(fields):
        return fields
    heeded: dict[str | None, Field] = {}
    for field in fields:
        earlier = heeded.get(field.name)
        if earlier is not None and (option := loaded.option(field.name or "")) is not None and option.repeats:
            heeded[field.name] = earlier._replace(value=f"{earlier.value}\n{field.value}", end=field.end)
            continue
        if earlier is None or repeated == "last":
            heeded[field.name] = field
        if earlier is not None:
            ignored = earlier if repeated == "last" else field
            secret = _SOUNDS_SECRET.search(field.name or "") is not None
            found.parts.append(Part("ignored", field.name, ignored.start, ignored.end, secret, ignored.whole))
            if earlier.value == field.value:
                continue
            found.remarks.append(
                Remark(
                    "repeated-key",
                    f"{field.name if not secret else 'a secret'} is given twice; the {repeated} one counts",
                    ignored.start,
                    ignored.end,
                    "keep one of them",
                )
            )
    return list(heeded.values())


def _walk_options(fields: list[Field], loaded: Loaded, found: Gathered) -> None:
    driver, carries = loaded.driver, loaded.facts.carries
    positional_hosts = bool(found.hosts)
    by_spelling, exact = loaded.by_spelling, driver.case_sensitive
    for field in fields:
        name, value = field.name or "", field.value
        text = value if type(value) is str else as_text(value)
        option = by_spelling.get(name) if exact else loaded.option(name)
        if option is None:
            _take_unknown(name, text, field, driver, found)
            continue
        if (value is True or value is False) and option.type == "bool" and option.values is None:
            text = driver.true_words[0] if value else driver.false_words[0]
        canonical = option.canonical
        if driver.nested is not None and option.name == driver.nested[0] and _walk_nested(text, field, driver, found):
            continue
        if carries is not None and option.name == carries[0] and _walk_carried(text, field, carries[1], found):
            continue
        secret = option.secret or canonical == "password" or ("=" in text and hides_secret(text))
        found.parts.append(Part(_role_of(canonical), name, field.start, field.end, secret, field.whole))
        if canonical is None or canonical not in _ROLES:
            _take_option(name, text, field, option, driver, found)
        elif canonical.startswith("tls."):
            found.files[canonical[4:]] = text
            found.given.add(option.name)
        elif canonical == "host":
            if "host" in driver.query_wins or not positional_hosts:
                _forget_positional_hosts(found)
                if loaded.facts.addresses is not None:
                    _take_addresses(field, loaded.facts.addresses, found)
                else:
                    _split_hosts(text, field, loaded, found)
        else:
            _take_role(canonical, text, field, loaded, found)


def _take_role(canonical: str, text: str, field: Field, loaded: Loaded, found: Gathered) -> None:
    if canonical == "port":
        ports = text.split(",") if loaded.facts.host_options == "paired" else [text]
        found.ports = [_port(p, field, found) for p in ports]
    elif canonical == "further_host":
        for piece in text.split("\n"):
            _split_hosts(piece, field, loaded, found)
    elif canonical == "socket":
        found.hosts[:] = [FoundHost(text, field)]
    elif canonical == "instance":
        if not found.hosts:
            found.hosts.append(FoundHost("", None))
        found.hosts[0].instance = text
    elif (
        canonical not in found.roles
        or canonical in loaded.driver.query_wins
        or canonical not in loaded.dialect.positions
    ):
        found.roles[canonical] = text


def _forget_positional_hosts(found: Gathered) -> None:
    """A host given as an option stands for those of the authority, and joins other ones that were given so."""
    found.hosts[:] = [h for h in found.hosts if h.field is not None and h.field.role == "option"]


def _walk_nested(text: str, field: Field, driver: Driver, found: Gathered) -> bool:
    """Read the options inside an option whose value is a text of its own; False where it cannot be read."""
    assert driver.nested is not None
    inner = load_target(driver.nested[1])
    try:
        parsed = inner.grammar.parse(text, inner.dialect, "")
    except GrammarError as error:
        remark = Remark(
            "value-out-of-range", f"{field.name}: {error.problem}", field.start, field.end, error.hint or ""
        )
        found.remarks.append(remark)
        return False
    secret = any(_is_secret_name(f.name or "", inner.driver) for f in parsed.fields)
    found.parts.append(Part("option", field.name, field.start, field.end, secret, field.whole))
    for raw in parsed.fields:
        placed = raw._replace(start=field.start, end=field.end, whole=field.whole)
        option = inner.driver.option(placed.name or "")
        canonical = option.canonical if option is not None else None
        if option is None:
            _take_unknown(placed.name or "", as_text(raw.value), placed, inner.driver, found, inside=True)
        elif canonical is not None and canonical.startswith("tls.") and canonical != "tls.level":
            found.files[canonical[4:]] = as_text(raw.value)
        elif canonical == "authentication" and (login := _login_of(inner.driver, option, as_text(raw.value))):
            found.login = login
        elif canonical in _ROLES or canonical in {"tls.level", "authentication"}:
            kept = Secret(as_text(raw.value)) if option.secret else as_text(raw.value)
            found.native[f"{option.vocabulary}/{option.name}"] = kept
        else:
            _take_option(placed.name or "", as_text(raw.value), placed, option, inner.driver, found)
    return True


def _login_of(driver: Driver, option: Option, text: str) -> str | None:
    """The log-in method that one word of another driver means by itself."""
    state = match_state(driver.authentication, {option.name: text}, {option.name})
    return None if state is None or state.read_only else state.meaning


def _walk_carried(text: str, field: Field, target: str, found: Gathered) -> bool:
    """Read an option whose value is a whole text for another target; False where it cannot be read."""
    try:
        inner = notation_of(text, target)
        loaded = load_target(inner.target)
        parsed = loaded.grammar.parse(text, loaded.dialect, inner.prefix)
    except (GrammarError, TextError) as error:
        hint = error.hint or "check it by itself"
        problem = error.problem
        found.remarks.append(Remark("value-out-of-range", f"{field.name}: {problem}", field.start, field.end, hint))
        return False
    inside = interpret(parsed, loaded, engine=inner.engine)
    verbatim = field.end - field.start == len(text)
    found.carried = inside.cord
    if not verbatim:
        found.parts.append(Part("option", field.name, field.start, field.end, bool(inside.secret_spans), field.whole))
    for part in inside.parts if verbatim else ():
        start = field.start
        found.parts.append(part._replace(start=part.start + start, end=part.end + start, whole=part.whole + start))
    found.rows.extend(inside.rows)
    for remark in inside.remarks:
        start, end = (remark.start, remark.end) if verbatim else (0, len(text))
        found.remarks.append(remark._replace(start=start + field.start, end=min(end + field.start, field.end)))
    return True


def _take_scheme(prefix: str, loaded: Loaded, found: Gathered) -> None:
    """A prefix that means more than the notation stands for an option of its own."""
    option, word = loaded.option("(scheme)"), loaded.facts.scheme_words.get(prefix)
    if option is None or word is None:
        return
    found.given.add(option.name)
    if option.canonical == "tls.level":
        found.tls[option.name] = word
    elif option.canonical is not None:
        value = read_value(option, loaded.driver, word)
        if value is not None and not isinstance(value, Misread):
            found.options[option.canonical] = value


def _take_addresses(field: Field, codec: str, found: Gathered) -> None:
    for address in ADDRESSES[codec].read(field.value):
        found.hosts.append(FoundHost(address.host, field, None, address.instance))
        if address.port is not None:
            found.hosts[-1].port = _port(address.port, field, found)
        if address.scheme is not None:
            found.tls["(scheme)"] = address.scheme
            found.given.add("(scheme)")
        if address.network is not None:
            found.options["network_protocol"] = address.network


def _note_conflicts(found: Gathered, driver: Driver, length: int) -> None:
    """Report options that the driver does not take together."""
    present = {row.option.name for row in found.rows if row.option is not None}
    present.update(found.roles, found.given)
    for conflict in driver.conflicts:
        if not conflict.needs <= present:
            continue
        words = {row.option.name: row.raw for row in found.rows if row.option is not None} | found.tls | found.auth
        if any(words.get(name) != word for name, word in conflict.set):
            continue
        named = conflict.needs
        places = [p for p in found.parts if p.name in named or p.role in named]
        last = max(places, key=_START_OF, default=None)
        start, end = (last.start, last.end) if last is not None else (0, length)
        found.remarks.append(Remark("conflicting-options", conflict.why, start, end, conflict.fix))


def _is_secret_name(name: str, driver: Driver) -> bool:
    option = driver.option(name)
    return option.secret if option is not None else _SOUNDS_SECRET.search(name) is not None


_ROLES = frozenset(
    {"host", "port", "database", "user", "password", "socket", "service", "realm", "instance", "further_host"}
    | {"tls.ca", "tls.certificate", "tls.key", "tls.key_password"}
)


def _role_of(canonical: str | None) -> str:
    if canonical in _ROLES or canonical == "tls.level":
        return "host" if canonical in {"socket", "further_host"} else canonical or "option"
    return "option"


_PLAIN_NAME = re.compile(r"[A-Za-z0-9 _.+-]{1,64}")


def safe_name(name: str) -> str:
    """Give an unknown option's name as it may be shown: where a text was misread, a password may stand in it."""
    return name if _PLAIN_NAME.fullmatch(name) else MASK


def _take_unknown(name: str, text: str, field: Field, driver: Driver, found: Gathered, *, inside: bool = False) -> None:
    shown = safe_name(name)
    nearest = find_nearest(name, driver.by_spelling) if len(found.remarks) < _MOST_ADVICE else ()
    meant = driver.by_spelling[nearest[0]] if nearest else None
    secret = shown == MASK or _SOUNDS_SECRET.search(name) is not None or hides_secret(text)
    secret = secret or (meant is not None and meant.secret)  # a mistyped password is one, too
    value: OptionValue = Secret(text) if secret else text
    if not inside:
        start = field.whole if shown == MASK else field.start
        found.parts.append(Part("option", shown, start, field.end, secret, field.whole))
    found.native[f"{driver.id}/{name}"] = value
    found.rows.append(OptionRow(shown, None, "" if secret else text, value))
    named = meant.name if meant is not None else None
    happens = {
        "refused": "refuses it",
        "ignored": "ignores it in silence",
        "sent": "sends it to the server as a setting",
    }
    found.remarks.append(
        Remark(
            "unknown-option",
            f"{driver.title} knows no option {shown!r} and {happens[driver.unknown_options]}",
            field.whole,
            field.end,
            f"did you mean {named}?" if named else f"see: cordtally drivers {driver.id}",
        )
    )


def _take_option(  # noqa: PLR0917 -- the loop of `_walk_options`, cut in two
    name: str, text: str, field: Field, option: Option, driver: Driver, found: Gathered
) -> None:
    value = _read_cached(option, driver, text)
    if isinstance(value, Misread):
        found.remarks.append(Remark(value.rule, value.message, field.start, field.end, value.fix))
        value = None
        found.native[f"{option.vocabulary}/{option.name}"] = text
    elif option.canonical in {"tls.level", "authentication"}:
        word = text if value is None else as_text(value)
        (found.tls if option.canonical == "tls.level" else found.auth)[option.name] = word
        found.given.add(option.name)
    elif option.canonical is None or value is None:
        found.native[f"{option.vocabulary}/{option.name}"] = Secret(text) if option.secret else text
    else:
        found.options[option.canonical] = value
    found.rows.append(OptionRow(name, option, "" if option.secret else text, value))


_MOST_READ = 4096
_READ: dict[tuple[str, str, str], OptionValue | Misread | None] = {}


def _read_cached(option: Option, driver: Driver, text: str) -> OptionValue | Misread | None:
    """Read a value, remembering short ones that are no secret: the same few stand in most texts."""
    if option.secret or option.type == "str" or len(text) > 32:
        return read_value(option, driver, text)
    key = (driver.id, option.name, text)
    if key not in _READ:
        if len(_READ) > _MOST_READ:
            _READ.clear()
        _READ[key] = read_value(option, driver, text)
    return _READ[key]


def _split_hosts(text: str, field: Field, loaded: Loaded, found: Gathered) -> None:
    style = loaded.facts.host_options
    named = style in {"inline", "further"} or loaded.dialect.repeated == "list"
    for piece in text.split(",") if style not in {"single", "further"} else [text]:
        address, port = piece, None
        if named and not piece.startswith("/"):
            head, colon, tail = piece.rpartition(":")
            if colon and tail.isascii() and tail.isdigit() and (":" not in head or head.endswith("]")):
                address, port = head, _port(tail, field, found)
        if address.startswith("[") and address.endswith("]"):
            address = address[1:-1]
        found.hosts.append(FoundHost(address, field, port))


def _port(text: str, field: Field, found: Gathered) -> int | None:
    clean = text.strip()
    if not clean:
        return None
    number = int(clean) if clean.isascii() and clean.isdigit() and len(clean) < 10 else -1
    if not 1 <= number <= 65535:
        found.remarks.append(
            Remark(
                "value-out-of-range",
                "a port is a number from 1 to 65535",
                field.start,
                field.end,
                "check the port",
            )
        )
    return number if number >= 0 else None
