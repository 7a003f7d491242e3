"""Who is on a port: told from the first bytes that come back, which differ from protocol to protocol."""

from __future__ import annotations

import re

from .refusals import Refusal, refusal_of

# what a peer says first, or answers to bytes that it does not understand; seen with the servers of Debian 12
_SIGNS = (
    ("http", re.compile(rb"HTTP/\d"), "HTTP"),
    ("http", re.compile(rb"<(?:!doctype )?html", re.IGNORECASE), "HTTP"),
    ("ssh", re.compile(rb"SSH-\d"), "SSH"),
    ("smtp", re.compile(rb"220[ -]"), "SMTP or FTP"),
    # RFC 8446, 5.1 and 6: an alert record of two bytes, fatal or a warning
    ("tls", re.compile(rb"\x15\x03[\x00-\x04]\x00\x02[\x01\x02]", re.DOTALL), "TLS"),
    # a packet of number 0 with protocol version 10, or with an error in place of the greeting
    ("mysql", re.compile(rb"..\x00\x00(?:\x0a[\d.]+|\xff..)", re.DOTALL), "MySQL or MariaDB"),
    ("redis", re.compile(rb"(?:\+(?:OK|PONG)|-[A-Z]+)[ \r]"), "Redis"),
    # a frame of AMQP 0-9-1: a method on channel 0, or the header of the version that is spoken here
    ("amqp", re.compile(rb"AMQP\x00|\x01\x00\x00\x00\x00..\x00\x0a\x00\x0a", re.DOTALL), "AMQP"),
    ("memcached", re.compile(rb"ERROR\r\n|CLIENT_ERROR |VERSION \d"), "memcached"),
    # ErrorResponse: its length, then the field of severity, in the server's language
    ("postgresql", re.compile(rb"E\x00\x00..S[^\x00]+\x00", re.DOTALL), "PostgreSQL"),
    # the head of a message or a reply: length, two numbers, what it is
    ("mongodb", re.compile(rb"..\x00\x00.{8}(?:\xdd\x07|\x01\x00)\x00\x00", re.DOTALL), "MongoDB"),
    # a TNS packet of a refusal or a resend
    ("oracle", re.compile(rb"..\x00\x00[\x04\x0b]\x00\x00\x00", re.DOTALL), "Oracle's listener"),
)


def who_is(said: bytes) -> tuple[str, str] | None:
    """Give the protocol and its name of a peer that said this first; None where it is not known."""
    return next(((peer, title) for peer, sign, title in _SIGNS if sign.match(said)), None)


def stranger(said: bytes, engine: str, place: str) -> Refusal:
    """Make the refusal of a peer that speaks another protocol, or none that is known."""
    peer, title = who_is(said) or ("unknown", None)
    return refusal_of(f"peer:{peer}", engine=engine, peer=title, place=place)
