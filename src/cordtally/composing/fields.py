"""Makes a cord from loose fields, as given on a command line or in a tally: checks each one and says what is wrong."""

from __future__ import annotations

from collections.abc import Mapping

from ..catalog import find_nearest, load_canonical, load_driver, load_engine, load_remarks, nearest_names
from ..errors import FieldError, UnknownName, quoted, shielded
from ..exchange.codecs import Misread, read_value
from ..model import (
    DIRECT,
    Authentication,
    AuthenticationMethod,
    ByteSize,
    Cord,
    Discovery,
    DiscoveryKind,
    Duration,
    Host,
    Locator,
    OptionValue,
    Secret,
    Tls,
    TlsLevel,
)
from .locators import looks_like_locator, parse_locator

FIELDS = (
    "engine",
    "host",
    "hosts",
    "port",
    "database",
    "user",
    "password",
    "login",
    "realm",
    "tls",
    "ca",
    "certificate",
    "key",
    "service",
    "options",
)


@shielded
def compose(*, driver: str | None = None, **fields: object) -> Cord:
    """Make a cord from fields.

    Parameters
    ----------
    driver : str, optional
        Options may then also be given under this driver's own names, with its own words.
    **fields
        ``engine`` (needed), ``host``, ``hosts`` (list of ``host:port``), ``port``, ``database``, ``user`` (a name, or
        where it is kept: a locator), ``password`` (a `Secret`, a `Locator` or a locator's text; never a bare
        password), ``login`` (a method), ``realm``, ``tls`` (a level), ``ca``, ``certificate``, ``key``, ``service``,
        ``options`` (a mapping; durations like ``5s``).

    Raises
    ------
    FieldError
        When a field has a value that cannot be meant.
    UnknownName
        When there is no such field, engine, level, method or option; the nearest names are offered.

    Examples
    --------
    >>> import cordtally as ct
    >>> cord = ct.compose(engine="postgresql", host="gauge.greywick.example", database="tides",
    ...                   password="env:TIDES_PASSWORD", options={"connect_timeout": "5s"})
    >>> str(ct.write(cord, "psycopg").text)
    'postgresql://gauge.greywick.example/tides?connect_timeout=5'
    """
    for name in fields:
        if name not in FIELDS:
            raise UnknownName("field", name, nearest=find_nearest(name, FIELDS), hint=f"fields: {', '.join(FIELDS)}")
    engine = load_engine(_text(fields, "engine") or _missing("engine"))
    options, native = _options(fields.get("options"), driver)
    service = _text(fields, "service")
    level, method = _text(fields, "tls"), _text(fields, "login")
    return Cord(
        engine=engine.id,
        hosts=_hosts(fields),
        database=_text(fields, "database"),
        user=_user(fields),
        password=_password(fields.get("password")),
        authentication=Authentication(
            None if method is None else AuthenticationMethod(_word("login method", method, AuthenticationMethod)),
            _text(fields, "realm"),
        ),
        tls=Tls(
            None if level is None else TlsLevel(_word("TLS level", level, TlsLevel)),
            _text(fields, "ca"),
            _text(fields, "certificate"),
            _text(fields, "key"),
        ),
        discovery=DIRECT if service is None else Discovery(DiscoveryKind.SERVICE, service),
        options=tuple(sorted(options.items())),
        native=tuple(sorted(native.items())),
    )


def _missing(name: str) -> str:
    raise FieldError(f"the field {quoted(name)} is missing")


def _text(fields: Mapping[str, object], name: str) -> str | None:
    value = fields.get(name)
    if value is None or isinstance(value, str):
        return value
    raise FieldError(f"{name} must be a text")


def _word(kind: str, word: str, words: type[TlsLevel] | type[AuthenticationMethod]) -> str:
    known = [w.value for w in words]
    if word not in known:
        raise UnknownName(kind, word, nearest=nearest_names(kind, word, known), hint=f"one of {', '.join(known)}")
    return word


def _hosts(fields: Mapping[str, object]) -> tuple[Host, ...]:
    address, port, listed = _text(fields, "host"), fields.get("port"), fields.get("hosts")
    if listed is not None:
        if address is not None or port is not None:
            raise FieldError("give either hosts, or host and port")
        if not isinstance(listed, list | tuple):
            raise FieldError('hosts is a list like ["gauge-1.greywick.example:5432"]')
        return tuple(parse_host(str(h)) for h in listed)
    if address is None:
        if port is not None:
            raise FieldError("a port needs a host")
        return ()
    host = parse_host(address)
    if port is None:
        return (host,)
    if host.port is not None:
        raise FieldError("the port is given twice: in host, and as port")
    return (Host(host.address, _port(str(port))),)


def parse_host(text: str) -> Host:
    r"""Read ``name``, ``name:5432``, ``name\instance``, ``[2001:db8::1]:5432``, an IPv6 address, or a socket's path.

    Raises
    ------
    FieldError
        When the port is not a number from 1 to 65535, or the text is a whole connection string.
    """
    if "://" in text:
        raise FieldError("this is a connection string, and no host: cordtally read takes it apart")
    if text[:1] in {"/", "@"} or text.startswith("\\\\"):
        return Host(text)
    if "\\" in text:
        address, _, rest = text.partition("\\")
        instance, colon, port = rest.partition(":")
        return Host(address, _port(port) if colon else None, instance)
    if text.startswith("["):
        address, bracket, rest = text[1:].partition("]")
        if not bracket or (rest and not rest.startswith(":")):
            raise FieldError(f"{quoted(text)} is not a host; write [2001:db8::1]:5432")
        return Host(address, _port(rest[1:]) if rest else None)
    if text.count(":") != 1:
        return Host(text)
    address, _, port = text.partition(":")
    return Host(address, _port(port))


def _port(text: str) -> int:
    if not (text.isascii() and text.isdigit() and len(text) < 7 and 1 <= int(text) <= 65535):
        raise FieldError("a port is a number from 1 to 65535")
    return int(text)


def _user(fields: Mapping[str, object]) -> str | Locator | None:
    """The user's name, or where it is kept."""
    value = fields.get("user")
    if isinstance(value, Locator):
        return value
    name = _text(fields, "user")
    return parse_locator(name) if name is not None and looks_like_locator(name) else name


def _password(value: object) -> Secret | Locator | None:
    if value is None or isinstance(value, Secret | Locator):
        return value
    if isinstance(value, str):
        return parse_locator(value)
    raise FieldError("password is a locator like env:NAME, file:PATH or ask:")


def _options(given: object, driver: str | None) -> tuple[dict[str, OptionValue], dict[str, OptionValue]]:
    options: dict[str, OptionValue] = {}
    native: dict[str, OptionValue] = {}
    if given is None:
        return options, native
    if not isinstance(given, Mapping):
        raise FieldError("options is a table of names and values")
    for name, value in given.items():
        if name in load_canonical():
            options[name] = parse_option(name, value)
        elif driver is not None and load_driver(driver.partition("/")[0]).option(name) is not None:
            _take_drivers_own(name, str(value), driver.partition("/")[0], options, native)
        else:
            known = [*load_canonical(), *(load_driver(driver.partition("/")[0]).by_spelling if driver else ())]
            raise UnknownName("option", name, nearest=find_nearest(name, known), hint="cordtally drivers ID lists them")
    return options, native


def _take_drivers_own(
    name: str, value: str, driver_id: str, options: dict[str, OptionValue], native: dict[str, OptionValue]
) -> None:
    driver = load_driver(driver_id)
    option = driver.option(name)
    assert option is not None
    if option.canonical is not None and option.canonical not in load_canonical():
        field = {"tls.level": "tls", "authentication": "login"}.get(
            option.canonical, option.canonical.removeprefix("tls.")
        )
        raise FieldError(f"{name} is a part of its own: give it as {field}")
    typed = read_value(option, driver, value)
    if isinstance(typed, Misread):
        raise FieldError("; ".join(load_remarks()[typed.case.value].say(typed.facts)))
    if option.canonical is None or typed is None:
        native[f"{option.vocabulary}/{option.name}"] = Secret(value) if option.secret else value
    else:
        options[option.canonical] = typed


def parse_option(name: str, value: object) -> OptionValue:
    """Give a canonical option its type: ``"5s"`` becomes a `Duration`.

    Raises
    ------
    FieldError
        When the value is of another kind; the message names the option.
    UnknownName
        When there is no such option, or no such word for it.
    """
    known = load_canonical()
    if name not in known:
        raise UnknownName("option", name, nearest=find_nearest(name, known))
    fact = known[name]
    if isinstance(value, Secret) and fact.secret:
        return value
    try:
        match fact.type:
            case "duration":
                return value if isinstance(value, Duration) else Duration.parse(str(value))
            case "bytes":
                return value if isinstance(value, ByteSize) else ByteSize.parse(str(value))
            case "bool":
                return _bool(value)
            case "int":
                return int(str(value))
    except ValueError as error:
        detail = str(error) if isinstance(error, FieldError) else f"{quoted(value)} is not a whole number"
        raise FieldError(f"{name}: {detail}") from None
    if fact.type == "word" and str(value) not in fact.values:
        raise UnknownName(f"value of {name}", str(value), nearest=find_nearest(str(value), fact.values),
                          hint=f"one of {', '.join(fact.values)}")  # fmt: skip
    return Secret(str(value)) if fact.secret else str(value)


def _bool(value: object) -> bool:
    if isinstance(value, bool):
        return value
    if str(value) in {"true", "false"}:
        return str(value) == "true"
    raise FieldError(f"{quoted(value)} is neither true nor false")
