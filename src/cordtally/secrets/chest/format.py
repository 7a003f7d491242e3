"""The bytes of a chest, as docs/chest.md describes them: read, opened, sealed. No file is touched.

Four lines: a title, a header in JSON, the sealed box in Base64, and a SHA-256 of what stands above it. The header's
bytes are associated data of the box, so that no lock, no generation and no entry can be exchanged for another one.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import json
import os
import unicodedata
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, NamedTuple

from ...errors import LocatorError, MissingExtra

TITLE = b"cordtally chest 1\n"
KEY_PREFIX = "chest-key:"
LARGEST_CHEST = 16 << 20
_LARGEST_HEADER = 64 << 10
# RFC 9106, 4: the second recommended choice, for where memory is scarce
ARGON2 = {"kdf": "argon2id", "memory": 65536, "passes": 3, "lanes": 4}  # KiB
SCRYPT = {"kdf": "scrypt", "cost": 1 << 16, "block": 8, "lanes": 1}  # 64 MiB; where the library has no Argon2
# What a header may ask for, so that one which was tampered with costs neither gigabytes nor hours
_BOUNDS = {
    "argon2id": {"memory": (8192, 1 << 20), "passes": (1, 10), "lanes": (1, 16)},
    "scrypt": {"cost": (1 << 14, 1 << 20), "block": (8, 8), "lanes": (1, 16)},
}


class Damaged(LocatorError):
    """It is no chest, or was cut or changed by something that knows nothing of chests."""


class Tampered(LocatorError):
    """Somebody who knows what a chest is changed it without a key."""


class WrongKey(LocatorError):
    """None of its locks opens with this key."""


class Entry(NamedTuple):
    """A secret, and when it was put there, in seconds since 1970."""

    secret: str
    changed: float


@dataclass(frozen=True, slots=True)
class Lock:
    """What one key opens: the ``kind`` is ``passphrase`` or ``key``; the rest is as the header has it."""

    name: str
    kind: str
    facts: Mapping[str, Any]


@dataclass(frozen=True, slots=True)
class Chest:
    """A chest as it lies there: closed."""

    id: str
    generation: int
    locks: tuple[Lock, ...]
    head: bytes = field(repr=False)
    box: bytes = field(repr=False)


@dataclass(frozen=True, slots=True)
class Opened:
    """What is inside, and what opens it."""

    chest: Chest
    entries: Mapping[str, Entry] = field(repr=False)
    master: bytes = field(repr=False)


def parse(data: bytes) -> Chest:
    """Read a chest without opening it.

    Raises
    ------
    Damaged
        Where it is none, was cut, or its checksum is not that of its bytes.
    """
    if not data.startswith(TITLE):
        other = data.startswith(b"cordtally chest ")
        raise Damaged("it is of a version that this Cord Tally does not know" if other else "it is no chest")
    lines = data.split(b"\n")
    if len(data) > LARGEST_CHEST or len(lines) != 5 or lines[4] or len(lines[1]) > _LARGEST_HEADER:
        raise Damaged("it was cut, or something was added")
    if lines[3] != hashlib.sha256(data[: -len(lines[3]) - 1]).hexdigest().encode():
        raise Damaged("its checksum is not that of its bytes: it was damaged")
    try:
        told = json.loads(lines[1])
        locks = tuple(_lock(one) for one in told["locks"])
        number, generation = str(told["id"]), int(told["generation"])
        box = base64.b64decode(lines[2], validate=True)
        bytes.fromhex(number)
    except (ValueError, KeyError, TypeError, RecursionError):
        raise Damaged("its header is none") from None
    if len(number) != 32 or generation < 1 or len(box) < 28 or not locks:
        raise Damaged("its header is none")
    return Chest(number, generation, locks, b"\n".join(lines[:2]) + b"\n", box)


def _lock(raw: Mapping[str, Any]) -> Lock:
    facts = {name: value for name, value in raw.items() if name not in {"name", "kind"}}
    for name in ("salt", "check", "nonce", "wrapped"):
        base64.b64decode(facts[name], validate=True)
    if raw["kind"] == "passphrase":
        for name, (least, most) in _BOUNDS[facts["kdf"]].items():
            if type(facts[name]) is not int or not least <= facts[name] <= most:
                raise ValueError
    elif raw["kind"] != "key":
        raise ValueError
    return Lock(str(raw["name"]), str(raw["kind"]), facts)


def unlock(chest: Chest, kind: str, key: str) -> bytes:
    """Give the master key that a passphrase or a key opens.

    Raises
    ------
    WrongKey
        Where no lock of the kind is its own.
    Tampered
        Where one is, and does not open.
    """
    raw = _secret_bytes(kind, key)
    for lock in chest.locks:
        if lock.kind != kind:
            continue
        derived = _derived(lock.kind, raw, lock.facts)
        if hmac.compare_digest(derived[32:], _raw(lock, "check")):
            master = _decrypt(derived[:32], _raw(lock, "nonce"), _raw(lock, "wrapped"), _lock_data(chest.id, lock.name))
            if master is None:
                raise Tampered(f"the lock {lock.name!r} was tampered with")
            return master
    raise WrongKey(f"this {'passphrase' if kind == 'passphrase' else 'key'} opens none of its locks")


def open_box(chest: Chest, master: bytes) -> Opened:
    """Open a chest.

    Raises
    ------
    Tampered
        Where the box is not what whoever has the key sealed under this header.
    """
    clear = _decrypt(master, chest.box[:12], chest.box[12:], chest.head)
    if clear is None:
        raise Tampered("it was tampered with: its box and its header do not belong together")
    try:
        entries = {name: Entry(str(one[0]), float(one[1])) for name, one in json.loads(clear)["entries"].items()}
    except (ValueError, KeyError, TypeError):
        raise Damaged("what is in its box is none of a chest's") from None
    return Opened(chest, entries, master)


def seal(opened: Opened) -> tuple[bytes, Opened]:
    """Give the bytes of the next generation, and it."""
    chest = opened.chest
    header = {
        "id": chest.id,
        "generation": chest.generation + 1,
        "locks": [{"name": lock.name, "kind": lock.kind, **lock.facts} for lock in chest.locks],
    }
    head = TITLE + json.dumps(header, separators=(",", ":")).encode() + b"\n"
    clear = json.dumps({"entries": {name: list(entry) for name, entry in sorted(opened.entries.items())}}).encode()
    nonce = os.urandom(12)
    box = nonce + _encrypt(opened.master, nonce, clear, head)
    body = head + base64.b64encode(box) + b"\n"
    sealed = replace(chest, generation=chest.generation + 1, head=head, box=box)
    return body + hashlib.sha256(body).hexdigest().encode() + b"\n", replace(opened, chest=sealed)


def new_chest() -> Opened:
    """An empty one, without a lock, of generation 0."""
    chest = Chest(os.urandom(16).hex(), 0, (), b"", b"")
    return Opened(chest, {}, os.urandom(32))


def with_lock(opened: Opened, name: str, kind: str, key: str) -> Opened:
    """Add a lock that a passphrase or a key opens; one of the same name is replaced."""
    raw = _secret_bytes(kind, key)
    facts: dict[str, Any] = {"salt": _text(os.urandom(16))}
    if kind == "passphrase":
        facts |= ARGON2 if _has_argon2() else SCRYPT
    derived, nonce = _derived(kind, raw, facts), os.urandom(12)
    wrapped = _encrypt(derived[:32], nonce, opened.master, _lock_data(opened.chest.id, name))
    facts |= {"check": _text(derived[32:]), "nonce": _text(nonce), "wrapped": _text(wrapped)}
    others = tuple(lock for lock in opened.chest.locks if lock.name != name)
    return replace(opened, chest=replace(opened.chest, locks=(*others, Lock(name, kind, facts))))


def new_key() -> str:
    """A key of 256 random bits, as a text."""
    return KEY_PREFIX + base64.urlsafe_b64encode(os.urandom(32)).decode().rstrip("=")


def key_bytes(text: str) -> bytes:
    """Read a key.

    Raises
    ------
    WrongKey
        Where it is none.
    """
    body = text.strip().removeprefix(KEY_PREFIX)
    try:
        raw = base64.urlsafe_b64decode(body + "=" * (-len(body) % 4))
    except ValueError:
        raw = b""
    if len(raw) != 32 or not text.strip().startswith(KEY_PREFIX):
        raise WrongKey(f"this is no key of a chest: one begins with {KEY_PREFIX}")
    return raw


def _secret_bytes(kind: str, key: str) -> bytes:
    """The bytes of a key, or of a passphrase in the form that keyboards agree on (Unicode's NFC)."""
    return unicodedata.normalize("NFC", key).encode() if kind == "passphrase" else key_bytes(key)


def _derived(kind: str, raw: bytes, facts: Mapping[str, Any]) -> bytes:
    """48 bytes of a key or passphrase: 32 that wrap the master key, and 16 that tell whether it is the right one."""
    salt = base64.b64decode(facts["salt"])
    try:
        if kind == "key":
            from cryptography.hazmat.primitives.hashes import SHA256
            from cryptography.hazmat.primitives.kdf.hkdf import HKDF

            return HKDF(algorithm=SHA256(), length=48, salt=salt, info=b"cordtally chest 1 key").derive(raw)
        if facts["kdf"] == "scrypt":
            memory = 256 * facts["cost"] * facts["block"]
            return hashlib.scrypt(
                raw, salt=salt, n=facts["cost"], r=facts["block"], p=facts["lanes"], maxmem=memory, dklen=48
            )
        from cryptography.exceptions import UnsupportedAlgorithm
        from cryptography.hazmat.primitives.kdf.argon2 import Argon2id
    except ImportError:
        raise _missing() from None
    try:
        kdf = Argon2id(
            salt=salt, length=48, iterations=facts["passes"], lanes=facts["lanes"], memory_cost=facts["memory"]
        )
    except UnsupportedAlgorithm:
        raise LocatorError("this passphrase lock needs Argon2id, which OpenSSL has from version 3.2 on") from None
    return kdf.derive(raw)


def _has_argon2() -> bool:
    try:
        from cryptography.exceptions import UnsupportedAlgorithm
        from cryptography.hazmat.primitives.kdf.argon2 import Argon2id
    except ImportError:
        return False
    try:
        Argon2id(salt=b"0" * 16, length=48, iterations=1, lanes=1, memory_cost=8)
    except UnsupportedAlgorithm:
        return False
    return True


def _encrypt(key: bytes, nonce: bytes, clear: bytes, data: bytes) -> bytes:
    try:
        from cryptography.hazmat.primitives.ciphers.aead import AESGCM
    except ImportError:
        raise _missing() from None
    return AESGCM(key).encrypt(nonce, clear, data)


def _decrypt(key: bytes, nonce: bytes, box: bytes, data: bytes) -> bytes | None:
    try:
        from cryptography.exceptions import InvalidTag
        from cryptography.hazmat.primitives.ciphers.aead import AESGCM
    except ImportError:
        raise _missing() from None
    try:
        return AESGCM(key).decrypt(nonce, box, data)
    except (InvalidTag, ValueError):
        return None


def _missing() -> MissingExtra:
    return MissingExtra("cryptography", "secrets", "a chest")


def _lock_data(number: str, name: str) -> bytes:
    return b"cordtally chest 1 lock\n" + number.encode() + b"\n" + name.encode()


def _raw(lock: Lock, name: str) -> bytes:
    return base64.b64decode(lock.facts[name])


def _text(raw: bytes) -> str:
    return base64.b64encode(raw).decode()
