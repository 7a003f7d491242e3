"""What may stand in a tally: its tables and their keys, as data. Reading it and docs/tally.schema.json go by this.

What the values of a cord's fields may be is checked where a cord is composed.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

VERSION = 1


class Key(NamedTuple):
    """A key of a table: the kind of its value, and what it says.

    Kinds are ``text``, ``locator``, ``whole``, ``number``, ``flag``, ``texts`` (a list), ``table`` (of texts),
    ``quantity`` (a number, or a text with its unit), ``option`` (a table of typed options) and ``time``.
    """

    kind: str
    about: str
    needed: bool = False
    words: tuple[str, ...] = ()


Table = Mapping[str, Key]

CORD: Table = {
    "text": Key(
        "text", "A connection string in any notation, without its secret; the other fields win over its parts."
    ),
    "engine": Key("text", "The database system.", words=("@engines",)),
    "driver": Key("text", "The driver it is written for where none is named; its option names may then be used, too."),
    "host": Key("text", "A name, an address, or the path of a Unix socket."),
    "hosts": Key("texts", "Several hosts, like gauge-1.greywick.example:5432."),
    "port": Key("whole", "The port, from 1 to 65535."),
    "database": Key("text", "Where one lands after logging in; for SQLite the file."),
    "user": Key("text", "The user's name, or where it is kept: a locator."),
    "password": Key("locator", "Where the password is kept; never the password."),
    "login": Key("text", "How one logs in.", words=("@logins",)),
    "realm": Key("text", "The database or domain that vouches for the user."),
    "tls": Key("text", "How the transport is protected.", words=("@levels",)),
    "ca": Key("text", "The file with the certificates of the authorities."),
    "certificate": Key("text", "The file with the client's certificate."),
    "key": Key("text", "The file with the client's key."),
    "service": Key("text", "A named service that the driver looks up."),
    "options": Key("option", "Options by their canonical names, durations like 5s."),
}
SERVICE: Table = {
    "cord": Key("text", "The cord it uses; the one of its own name if absent."),
    "instances": Key("whole", "How many run."),
    "max_instances": Key("whole", "As many as autoscaling may start."),
    "surge": Key("whole", "Instances more during a deploy."),
    "pool_size": Key("whole", "Connections that each instance may open."),
    "min_size": Key("whole", "The least that an allocation may give an instance."),
    "most_size": Key("whole", "The most that an allocation may give an instance."),
    "pooler": Key("text", "The pooler it goes through."),
    "arrivals": Key("quantity", "Requests over all instances, like 120/s."),
    "hold": Key("quantity", "How long a request holds a connection, like 35ms."),
    "acquire_timeout": Key("quantity", "How long a request waits for a connection."),
    "weight": Key("number", "How much a second of waiting counts."),
}
ACCEPT: Table = {
    "path": Key("text", "The files, as a pattern.", needed=True),
    "rule": Key("text", "The rule; any if absent."),
    "reason": Key("text", "Why it may stay.", needed=True),
}
VET: Table = {
    "severity": Key(
        "text", "How much the rule matters; off switches it off.", True, ("off", "note", "warning", "error")
    ),
    "because": Key("text", "Why.", needed=True),
    "path": Key("text", "The files it is about, as a pattern; all if absent."),
}
COMMAND: Table = {
    "run": Key("texts", "The program and its arguments, without a shell.", needed=True),
    "time_limit": Key("time", "How long it may take; 10s if absent."),
}
REMOTE: Table = {
    "url": Key("text", "The address with {path}, which the locator fills in; https, or http on loopback.", needed=True),
    "pointer": Key("text", "Where the value stands in the answer, with {key} (RFC 6901); the whole answer if absent."),
    "body": Key("text", "Where the value stands in what is written, where that is another place than in the answer."),
    "write": Key("text", "How the service takes a value: then it can be written.", words=("PUT", "POST", "PATCH")),
    "headers": Key("table", "Headers that hold no secret."),
    "header": Key("text", "The header that has the token; Authorization if absent."),
    "scheme": Key("text", "What stands before the token in the header, with its blank; Bearer if absent."),
    "token": Key("locator", "Where the token for the service is kept."),
    "ca": Key("text", "The file with the service's authority, if its certificate is no public one."),
    "time_limit": Key("time", "How long one attempt may take; 5s if absent."),
    "attempts": Key("whole", "How often it is tried; 3 if absent."),
}
BROKER: Table = {
    "url": Key("text", "The address; https, or http on loopback.", needed=True),
    "method": Key("text", "POST if absent.", words=("GET", "POST", "PUT")),
    "request": Key("table", "What is asked for: a JSON object; {user}, {host}, {port}, {database} are the cord's."),
    "value": Key("text", "Where the token stands in the answer (RFC 6901); /token if absent."),
    "expires_in": Key("text", "Where its life in seconds stands; /expires_in if absent."),
    "expires_at": Key("text", "Where its end stands, as RFC 3339 or seconds since 1970; /expires_at if absent."),
    "user": Key("text", "Where the user stands in the answer, for broker:NAME#user."),
    **{name: REMOTE[name] for name in ("headers", "header", "scheme", "token", "ca", "time_limit", "attempts")},
}

ROTATION: Table = {
    "users": Key("texts", "The two users who take turns, the one in use among them."),
    "rest": Key("time", "How long the one who was left is not touched; 1h if absent."),
    "by": Key("text", "The cord of an administrator who may change the password; the user itself if absent."),
}

NAMED: Mapping[str, Table] = {
    "cords": CORD,
    "environments": CORD,  # a table of tables of them, by environment and cord
    "services": SERVICE,
    "accepts": ACCEPT,
    "vet": VET,
    "commands": COMMAND,
    "remotes": REMOTE,
    "brokers": BROKER,
    "rotations": ROTATION,
}
ABOUT: Mapping[str, str] = {
    "tally": "The version of the format.",
    "defaults": "What holds for every cord that does not say otherwise.",
    "cords": "The connections, by name.",
    "environments": "What is laid over a cord in an environment: [environments.production.tides].",
    "services": "The services that use the cords, and their pools.",
    "accepts": "What a sweep or a vetting may find, each with a reason.",
    "vet": "How much rules of vetting matter here, by their ids.",
    "commands": "Programs that exec: locators name.",
    "remotes": "Services that remote: locators name.",
    "rotations": "How the passwords of cords are rotated, by the cord's name.",
    "brokers": "Services that issue short-lived tokens, which broker: locators name.",
}
LOCAL = ("tally", "cords", "environments", "commands", "remotes", "brokers")
"""What the file beside a tally may have that is this machine's alone."""
