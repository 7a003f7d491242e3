"""``keychain:SERVICE/ACCOUNT``: the operating system's keychain, through the package keyring.

What keeps it is the system's: the Secret Service of a desktop session, macOS's Keychain, Windows's Credential Locker. A
machine without a session has none; and one that is locked asks on a screen, which may be one that nobody sees.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, TypeVar

from ..deadline import Deadline, NoAnswer
from ..errors import CordTallyError, LocatorError, MissingExtra, quoted
from .stores import Described, Surroundings

if TYPE_CHECKING:
    from keyring.backend import KeyringBackend

_LIMIT = 30.0  # seconds: long enough for somebody to unlock it
Made = TypeVar("Made")


class Keychains:
    """Secrets in the operating system's keychain."""

    scheme = "keychain"
    writable = True
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Give an entry."""
        service, account = _place(rest)
        found = _asked(lambda keychain: keychain.get_password(service, account))
        if found is None:
            raise LocatorError(f"keychain: there is no entry of {quoted(service)} for {quoted(account)}")
        return found

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Keep an entry; it is read back, since some keychains keep nothing and say so to nobody."""
        service, account = _place(rest)

        def kept(keychain: KeyringBackend) -> str | None:
            keychain.set_password(service, account, secret)
            return keychain.get_password(service, account)

        if _asked(kept) != secret:
            raise LocatorError("keychain: what was put there is not there: this keychain keeps nothing")

    def drop(self, rest: str, around: Surroundings) -> None:
        """Take an entry out."""
        self.get(rest, around)
        service, account = _place(rest)
        _asked(lambda keychain: keychain.delete_password(service, account))

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """Refuse: a keychain gives what is asked for, and no list.

        Raises
        ------
        LocatorError
            Always.
        """
        raise LocatorError("keychain: it gives no list of its entries: the system's own tool shows them")

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell which keychain has it."""
        self.get(rest, around)
        return Described(_asked(lambda keychain: keychain.name))


def _place(rest: str) -> tuple[str, str]:
    service, _, account = rest.rpartition("/")
    if not service or not account:
        raise LocatorError("keychain: wants SERVICE/ACCOUNT, like keychain:harbour-tides/tide_gauge")
    return service, account


def _asked(call: Callable[[KeyringBackend], Made]) -> Made:
    """Ask the system's keychain, for a limited time."""
    try:
        import keyring
        from keyring import errors
    except ImportError:
        raise MissingExtra("keyring", "secrets", "the system's keychain") from None

    def asked() -> Made:
        keychain = keyring.get_keyring()
        if type(keychain).__name__ == "PlaintextKeyring":  # of keyrings.alt
            raise LocatorError("keychain: what is set up here keeps secrets in clear: use file: or chest:")
        return call(keychain)

    try:
        return Deadline(_LIMIT).run(asked)
    except NoAnswer:
        message = f"it does not answer within {_LIMIT:g} s: perhaps it asks on a screen that nobody sees"
    except CordTallyError:
        raise
    except errors.NoKeyringError:
        message = "this machine has none: without a desktop session use env:, file:, credential: or chest:"
    except (errors.InitError, errors.KeyringLocked):
        message = "it is locked, and nobody could be asked: unlock it, or use env:, file: or chest: here"
    except Exception as error:  # each system's own
        message = f"it does not do that ({type(error).__name__})"
    raise LocatorError(f"keychain: {message}")
