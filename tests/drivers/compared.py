"""Whether we read a text as its driver does: taken or refused, who, where, what, TLS, and each option."""

import getpass
import string

import cordtally as ct
from cordtally.catalog import load_driver, load_engine
from cordtally.exchange.codecs import find_word
from cordtally.exchange.defaults import default_level
from cordtally.model import ByteSize, Duration, TlsLevel, clear
from cordtally.model.values import NANOSECONDS

VALUES = {"value-not-taken", "value-out-of-range", "wrong-boolean-word", "log-in-word", "inside-value"}
PLACES = {"port-out-of-range", "no-such-host", "host-holds-more", "database-has-number"}
REFUSALS = VALUES | PLACES | {"refused-together", "unknown-option", "option-of-other-driver"}
ROLES = {"host", "port", "user", "password", "database", "socket", "instance", "service", "realm", "further_host"}
PARTS = ("user", "password", "database", "hosts")
LOOKS_AT_PORTS = {"libpq", "psycopg2", "mariadb-java", "pgx", "mongo-go", "sqlalchemy+psycopg", "sqlalchemy+psycopg2", "ruby-pg",
                  "php-pgsql", "pdo-pgsql", "dbd-pg", "activerecord+pg"}
"""Readers that see a port that is none; others leave it to the system, and say nothing when they only read."""


LATE = {"mysql2/url", "pgjdbc", "lib-pq/url", "node-pg/url", "node-mariadb/url", "ioredis/url", "dbd-mysql/dsn",
        "dbd-mariadb/dsn"}
"""Readers that take any value, and look at it when they connect; what they look at when they read is in `AT_ONCE`."""
AT_ONCE = ("takes no user", "a port", "databases have", "no host has", "ssl wants", "charset wants", "db wants", "sslnegotiation does")
MORE_AT_ONCE = {"dbd-mariadb/dsn": ("port wants",)}
OWN = ("idle_timeout", "checkout_timeout", "statement_limit", "advisory_locks", "reaping_frequency", "prepared_statements", "strict")
"""Options of Active Record itself, of which it takes anything."""


def disagreement(text, target, theirs):
    """What differs between us and a driver: a kind and its facts, or None."""
    if theirs == "undecided":
        return None
    try:
        mine = ours(text, target)
    except Exception as problem:
        return "crash", repr(problem)
    if mine is None or theirs is None:
        return None if mine is theirs else ("refused by us" if mine is None else "taken by us", "")
    cord = mine.cord
    port = None if cord.engine == "clickhouse" else load_engine(cord.engine).default_port
    left = parts_of(cord, port)
    if "cord" in theirs:
        return _of_cords(cord, left, theirs["cord"], parts_of(theirs["cord"], port))
    right = {name: theirs[name] for name in PARTS if name in theirs}
    if "hosts" in right:
        right["hosts"] = tuple((h.casefold(), None if h[:1] in {"/", "@"} and h else p) for h, p in right["hosts"])
        if all(h == "" and p in {None, port} for h, p in right["hosts"]):
            del right["hosts"]
    if "hosts" in left and len(left["hosts"]) == len(right.get("hosts", ())):  # "localhost" is what an empty one stands for
        left["hosts"] = tuple((h, p if q is not None else None) for (h, p), (_, q) in zip(left["hosts"], right.get("hosts", ()), strict=True))
        pairs = zip(left.get("hosts", ()), right.get("hosts", ()), strict=True)
        right |= {"hosts": tuple(("", p) if mine == "" and h == "localhost" else (h, p) for (mine, _), (h, p) in pairs)}
    if theirs.get("fills in"):  # what it takes for granted where nothing is said
        taken = {"user": (getpass.getuser(),), "database": (left.get("user"), getpass.getuser()), "hosts": (right.get("hosts"),)}
        if not any(name for name, _ in left.get("hosts", ())):
            left.pop("hosts", None)
        right = {name: value for name, value in right.items() if name in left or value not in taken.get(name, ())}
    for name in PARTS:
        if left.get(name) != right.get(name):
            return f"another {name}", f"{left.get(name)!r}, and the driver {right.get(name)!r}"
    if "secure" in theirs and theirs["secure"] is not ((cord.tls.level or TlsLevel.OFF) > TlsLevel.OFF):
        return "another tls", f"{cord.tls.level}"
    if "level" in theirs and theirs["level"] != (cord.tls.level.value if cord.tls.level else default_level(mine)):
        return "another tls", f"{cord.tls.level}, and the driver {theirs['level']}"
    found = option_differences(mine, theirs["options"], theirs.get("complete"))
    return ("another option", "; ".join(found)) if found else None


def _of_cords(cord, left, other, right):
    for name in PARTS:
        if left.get(name) != right.get(name):
            return f"another {name}", f"{left.get(name)!r}, and the driver {right.get(name)!r}"
    if (cord.tls.level, cord.tls.ca) != (other.tls.level, other.tls.ca):
        return "another tls", f"{cord.tls}, and the driver {other.tls}"
    # the statements that SQLAlchemy's own dialect keeps, and not asyncpg
    options = {name: value for name, value in cord.options if name != "statement_cache" or name in dict(other.options)}
    return None if options == dict(other.options) else ("another option", f"{options}, and the driver {dict(other.options)}")


def ours(text, target):
    """What we read: None where we refuse, or report what the driver refuses."""
    try:
        reading = ct.read(text, driver=target)
    except ct.TextError:
        return None
    findings = [f for f in ct.vet(reading) if not f.message.startswith(("a host", "the host"))]  # a slip, and no refusal
    if target in LATE:
        findings = [f for f in findings if f.rule.value not in VALUES | PLACES or any(words in f.message for words in (*AT_ONCE, *MORE_AT_ONCE.get(target, ())))]
    if target.startswith("activerecord"):
        findings = [f for f in findings if not f.message.startswith(OWN)]
    if target in {"dbd-mysql/dsn", "pdo-mysql/dsn"}:  # for which a port that is none is the usual one
        findings = [f for f in findings if not f.message.startswith("a port")]
    # of several hosts libpq only passes over one whose port is none
    ports = reading.driver in LOOKS_AT_PORTS and len(reading.cord.hosts) < 2
    findings = [f for f in findings if ports or not (f.message.startswith("a port is") and f.start is not None and is_number(text[f.start:f.end]))]
    if any(f.severity is ct.Severity.ERROR and f.rule.value in REFUSALS for f in findings):
        return None
    return reading


def is_number(text):
    return text.strip().lstrip("+-").isdigit()


def parts_of(cord, default_port=None):
    """User, password, database and hosts of a cord, in plain texts; what is empty is left out."""
    seen = {
        "user": clear(cord.user or ""), "password": cord.password.unmask() if cord.password else "", "database": clear(cord.database or ""),
        "hosts": tuple((h.name.casefold(), None if h.is_socket else default_port if h.port is None else h.port) for h in cord.hosts),
    }  # fmt: skip
    nowhere = all(host == "" and port in {None, default_port} for host, port in seen["hosts"])
    return {name: value for name, value in seen.items() if value and not (nowhere and name == "hosts")}


def option_differences(reading, theirs, complete):
    """The options that the driver reads otherwise: ``theirs`` maps its names to values, typed or not."""
    driver, found = load_driver(reading.driver), []
    fold = str if driver.case_sensitive else str.casefold
    theirs = {fold(name): value for name, value in theirs.items()}
    mine = set()
    for row in reading.rows:
        name = row.option.name if row.option else row.name
        mine.add(fold(name))
        if row.option is None or row.value is None or row.option.secret or row.option.canonical in ROLES:
            continue
        spelled = next((fold(n) for n in (name, row.name, *row.option.aliases) if fold(n) in theirs), None)
        if spelled is None:
            if complete:
                found.append(f"{name} is not read")
        elif not same(row, driver, theirs[spelled]):
            found.append(f"{name}: {row.value!r} is read as {theirs[spelled]!r}")
    return found


def same(row, driver, value):
    option = row.option
    if option.canonical == "tls.level" and option.values and isinstance(row.value, str):
        return find_word(option, row.value) == find_word(option, str(value))
    match row.value:
        case bool():
            if isinstance(value, bool):
                return row.value is value
            if (option.other_words or driver.other_words) == "true":
                return row.value is bool(value)
            words = option.values or dict.fromkeys(driver.true_words, "true")
            return row.value is ({w.casefold(): m for w, m in words.items()}.get(str(value).casefold()) == "true")
        case Duration():
            if isinstance(value, str) and value.strip(string.digits + "."):
                return value == row.raw
            if option.unit in {"go", "iso", "suffix"}:
                return str(row.raw) == str(value) or row.value.nanoseconds == value
            return row.value.nanoseconds is None or row.value.nanoseconds == round(float(value) * NANOSECONDS[option.unit or "s"])
        case ByteSize() if option.outside == "clamped":
            return str(row.value.bytes) == str(value)
        case ByteSize() | int():
            return str(value) == str(row.raw).strip() or str(int(row.raw)) == str(value)
        case str() if option.values:
            return row.value in {find_word(option, str(value)), find_word(option, str(value).lower()), str(value)}
    return clear(row.raw) == str(value)
