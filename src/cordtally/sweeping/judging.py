"""What a place in a file means: whether a secret stands there, of which engine, and how much it matters where it is."""

from __future__ import annotations

import hmac
import re
from collections.abc import Iterable, Iterator
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from ..catalog import load_engine, load_index
from ..errors import AmbiguousText, CordTallyError, TextError
from ..exchange import Reading, read
from ..model import MASK, clear
from ..model.placeholders import is_placeholder
from ..model.suspicion import SECRET_WORD, sounds_secret
from ..spotting import Spot, names_no_secret
from ..text import doubtful_spans, mask_spans
from ..vetting import RULES, RuleId, Severity
from .engines import engine_by_client, engine_by_keys, engine_by_words, engine_of_word
from .hits import Hit
from .places import environment_of, is_real_looking, kind_of_place, public_folder

if TYPE_CHECKING:
    from .declared import Stated

SECRETS = frozenset([RuleId.CORD_WITH_PASSWORD, RuleId.SECRET_PAIR])
_STAND_IN = re.compile(r"\$\{\w+\}")
_PORT = re.compile(r"(?:(?<=:)|(?<=[Pp]ort=))\$\{\w+\}(?=[/?,;)\s]|$)")
_SECRET_PAIR = re.compile(
    rf"(?:{SECRET_WORD})[\w ]{{0,30}}\s*=\s*(?P<value>'[^']*'|\"[^\"]*\"|[^;\s&]+)", re.IGNORECASE
)
_LONGEST_TEXT = 2_000  # characters: nobody's connection, and long to be read by each driver
# names of secrets that are for something else than the database of their file
OF_OTHERS = re.compile(
    r"smtp|mail|admin|ftp|ssh|ldap|store|proxy|api|jwt|session|cookie|web|login|wifi|secret_?key|^secret$", re.I
)
_IN_WORDS = {
    "test": "in a test",
    "document": "in a document",
    "sample": "in a sample file",
}


@dataclass(frozen=True, slots=True)
class Surroundings:
    """What is known of a file besides what stands in it: its path in the tree, and who else may see it."""

    path: Path
    ignored: bool = False
    engine: str | None = None
    readable_by_others: bool = False
    salt: bytes = b""


@dataclass(frozen=True, slots=True)
class _Told:
    """What a text comes to: the rule, the engine, the driver, what may be shown, the hosts."""

    rule: RuleId
    engine: str | None = None
    driver: str | None = None
    masked: str = ""
    hosts: tuple[str, ...] = ()
    secret: str = ""


def judge(
    spot: Spot, around: Surroundings, place: tuple[int, int, int, int], beside: Stated | None = None
) -> Hit | None:
    """Make a hit of what was spotted; None where it is nothing.

    ``place`` is its first and last line and column, ``beside`` the connection that the file declares there.
    """
    told = _told(spot, around, None if beside is None else beside.engine)
    if told is None:
        return None
    line, column, end_line, end_column = place
    severity, reason = _severity(told, spot, around)
    return Hit(
        path=around.path,
        line=line,
        column=column,
        end_line=end_line,
        end_column=end_column,
        kind=spot.kind,
        rule=told.rule,
        severity=severity,
        confidence=_confidence(told, spot),
        reason=reason,
        engine=told.engine,
        driver=told.driver,
        environment=environment_of(around.path, (*spot.names, spot.name or "", *_environment_words(beside))),
        name=spot.name,
        masked=" ".join(told.masked.split()),
        mark=_mark(told.secret or spot.text, around.salt),
    )


def _mark(secret: str, salt: bytes) -> bytes:
    """What tells a secret from others within one run; nothing where nobody asks."""
    return hmac.digest(salt, secret.encode("utf-8", "surrogatepass"), "sha256") if salt else b""


def _environment_words(beside: Stated | None) -> tuple[str, ...]:
    return () if beside is None else (beside.name, beside.environment or "")


def _told(spot: Spot, around: Surroundings, stated: str | None) -> _Told | None:
    words = (spot.name, *reversed(spot.names))
    if spot.kind == "reference":
        engine = engine_by_words(words) or around.engine
        return _Told(RuleId.REFERENCE, engine, masked=f"${{{spot.name}}}")
    if spot.kind == "pair":
        return _Told(RuleId.SECRET_PAIR, _engine_of_pair(spot, around, stated), masked=f"{spot.name}={MASK}")
    hint = spot.engine or stated or engine_by_words((spot.call, spot.name, *reversed(spot.names))) or around.engine
    return _told_by_text(spot, hint)


def _engine_of_pair(spot: Spot, around: Surroundings, stated: str | None) -> str | None:
    """The engine that a secret is for, by what tells it best: its place, its name, its line, its file."""
    others = [text for place, text in enumerate(spot.given) if place != spot.place]
    given = next((one for text in others if (one := _engine_of_text(text)) is not None), None)
    line = " ".join(spot.beside)
    by_line = spot.how in {"a line", "a comment"}
    return (
        spot.engine
        or engine_of_word(spot.name)
        or stated
        or given
        or engine_by_client(line)
        or engine_by_words((spot.name, *reversed(spot.names), *(() if by_line else spot.beside), spot.call))
        or (engine_by_words([line]) if "(" in line or "://" in line else None)
        or (None if OF_OTHERS.search(spot.name or "") else around.engine)
        or engine_by_words([around.path.name, *reversed(around.path.parts[:-1])])
    )


def _told_by_text(spot: Spot, hint: str | None) -> _Told | None:
    text = spot.text
    if len(text) > _LONGEST_TEXT:
        return _unreadable(spot, hint)
    for candidate in dict.fromkeys((text, _PORT.sub("61000", text), _STAND_IN.sub("standin", text))):
        try:
            reading = read(candidate, driver=spot.driver)
        except AmbiguousText as error:
            return _told_by_several(candidate, list(_readings(candidate, error.targets)), hint, spot)
        except (TextError, CordTallyError):
            continue
        return _of_reading(reading, candidate, text)
    return _unreadable(spot, hint)


def _of_reading(reading: Reading, candidate: str, text: str) -> _Told:
    hosts = tuple(clear(host.address) for host in reading.cord.hosts)
    state = _state(reading, candidate)
    rule = {"literal": RuleId.CORD_WITH_PASSWORD, "placeholder": RuleId.CORD_WITH_PLACEHOLDER}.get(state, RuleId.CORD)
    secret = "\0".join(candidate[start:end] for start, end in reading.secret_spans)
    return _Told(rule, reading.cord.engine, reading.driver, str(reading.text), hosts, secret)


def _state(reading: Reading, text: str) -> str:
    """Whether a text holds a secret, a placeholder for one, or none: any part of it that is secret counts."""
    names = {part.start: part.name or "" for part in reading.parts if part.role == "option"}
    secret = [
        text[start:end]
        for start, end in reading.secret_spans
        if end > start and (start not in names or _is_secret_option(names[start], text[start:end]))
    ]
    if load_engine(reading.cord.engine).embedded and reading.cord.password is None:  # nobody logs in at a file
        secret = []
    if not secret:
        return "absent" if reading.password_state == "literal" else reading.password_state
    filled = [one for one in secret if is_placeholder(one) or _STAND_IN.search(one) or one == "standin"]
    return "literal" if len(filled) < len(secret) else "placeholder"


def _is_secret_option(name: str, value: str) -> bool:
    """Whether an option that a reading masks in doubt is a secret: by its own name, or by one in its value."""
    return (sounds_secret(name) and not names_no_secret(name)) or sounds_secret(value)


def _told_by_several(text: str, readings: list[Reading], hint: str | None, spot: Spot) -> _Told | None:
    """A text that several drivers read: what they agree on, and the engine that the place or the keys tell."""
    if not readings:
        return _unreadable(spot, hint)
    states = [_state(reading, text) for reading in readings]
    state = next((one for one in ("literal", "placeholder") if one in states), "absent")
    engines = {reading.cord.engine for reading in readings}
    by_keys = engine_by_keys(text, {engine for engine in engines if engine})
    hint = hint if hint in engines else engine_by_words((spot.name, *reversed(spot.names)))
    engine = hint if hint in engines else by_keys or (engines.pop() if len(engines) == 1 else None)
    rule = {"literal": RuleId.CORD_WITH_PASSWORD, "placeholder": RuleId.CORD_WITH_PLACEHOLDER}.get(state, RuleId.CORD)
    secret = [one for one, held in zip(readings, states) if held == state] or readings
    masked = min((str(one.text) for one in secret), key=len)
    hosts = tuple(clear(host.address) for host in secret[0].cord.hosts)
    spans = "\0".join(text[start:end] for start, end in secret[0].secret_spans)
    return _Told(rule, engine, None, masked, hosts, spans)


def _unreadable(spot: Spot, hint: str | None) -> _Told | None:
    """What looks like a text and cannot be read: a secret in it still counts, and what is no text at all does not."""
    text = spot.text
    scheme, slashes, rest = text.partition("://")
    user, at, host = rest.rpartition("@")
    masked = mask_spans(text, doubtful_spans(text))
    engine = hint or _engine_of_prefix(text) or (engine_by_words([scheme]) if slashes else None)
    engine = engine or engine_by_keys(text)
    if slashes and at and ":" in user and host:
        password = user.partition(":")[2]
        real = not (
            is_placeholder(password) or _STAND_IN.fullmatch(password) or re.search(r"[<>*\\^|(){}\[\]\s]", password)
        )
        rule = RuleId.CORD_WITH_PASSWORD if real else RuleId.CORD_WITH_PLACEHOLDER
        return _Told(rule, engine, masked=masked, hosts=(re.split(r"[:/?]", host)[0],))
    pair = _SECRET_PAIR.search(text)
    if pair is not None and not is_placeholder(value := pair["value"].strip("'\"")) and not _STAND_IN.search(value):
        return _Told(RuleId.CORD_WITH_PASSWORD, engine, masked=masked) if spot.how != "a line" else None
    if not slashes or engine is None or spot.comment or re.search(r"[\\^|(){}\[\]<>*\s]|\.\.\.", rest) or len(rest) < 4:
        return None
    return _Told(RuleId.CORD_UNREADABLE, engine, masked=masked)


def _readings(text: str, targets: Iterable[str]) -> Iterator[Reading]:
    """A text as each driver reads it; one that refuses it does not count."""
    for target in targets:
        with suppress(CordTallyError):
            yield read(text, driver=target)


def _engine_of_prefix(text: str) -> str | None:
    """The engine that the beginning of a text tells."""
    return next((one[0][2] for prefix, one in load_index()["prefixes"].items() if text.startswith(prefix)), None)


def _engine_of_text(raw: str) -> str | None:
    """The engine that an argument tells, as it is written."""
    text = raw.strip("\"'`@$ ")
    telling = re.search(r":|driver|class|dialect|client|type|^\w+\+\w+$", text)
    return _engine_of_prefix(text) or (engine_by_words([text]) if telling else None)


def _severity(told: _Told, spot: Spot, around: Surroundings) -> tuple[Severity, str]:
    """How much a hit matters, by what it is and where it stands; and that in words."""
    usual = RULES[told.rule].severity
    place = kind_of_place(around.path)
    if told.rule not in SECRETS:
        minor = spot.comment or place != "source"
        return (Severity.NOTE, _IN_WORDS.get(place, "in a comment")) if minor else (usual, RULES[told.rule].title)
    others = "; others on this machine may read the file" if around.readable_by_others else ""
    public = public_folder(around.path)
    if public is not None and around.path.suffix not in {".py", ".java", ".go", ".rb", ".cs"}:
        return Severity.ERROR, f"a secret below {public}/, which a web server shows"
    if around.ignored:
        return Severity.NOTE, f"in a file that version control ignores{others}"
    where = "in a comment" if spot.comment else _IN_WORDS.get(place)
    if where is None:
        return usual, f"a secret in the source{others}"
    real = next((host for host in told.hosts if is_real_looking(host)), None)
    return (Severity.WARNING, where) if real is None else (usual, f"{where}, but it leads to {real}")


def _confidence(told: _Told, spot: Spot) -> str:
    if spot.kind == "reference" or told.rule is RuleId.CORD_UNREADABLE:
        return "likely" if spot.kind == "reference" else "possible"
    if spot.kind == "cord":
        return "certain" if told.driver is not None else "likely"
    return "certain" if spot.told else "likely" if spot.how != "a line" else "possible"
