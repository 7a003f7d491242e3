"""Arguments for a driver's connect function: masked at every depth until they are asked for in clear."""

from __future__ import annotations

from collections.abc import Mapping

from ..model import Secret


class SecretBytes(Secret):
    """A secret that its driver wants as UTF-8 bytes."""

    __slots__ = ()

    def unmask(self) -> bytes:  # type: ignore[override]
        """Give the bytes."""
        return self._bytes()


class ClearArguments(dict[str, object]):
    """Arguments with their secrets in clear, which still show themselves masked: nested ones, copies and unions too.

    Only ``**arguments`` and ``dict(arguments)`` give a plain mapping, which is what a driver is called with.
    """

    def __init__(self, masked: Mapping[str, object]) -> None:
        super().__init__({name: _unmasked(value) for name, value in masked.items()})
        self._masked = {name: value for name, value in masked.items() if _holds_secret(value)}

    def __repr__(self) -> str:
        return repr({name: _shown(self._masked.get(name, value)) for name, value in self.items()})

    def copy(self) -> ClearArguments:
        """Make a copy, masked as well."""
        return self | {}

    __copy__ = copy

    def __deepcopy__(self, memo: object = None) -> ClearArguments:
        return self.copy()

    def __or__(self, other: Mapping[str, object]) -> ClearArguments:  # type: ignore[override]
        return _union(self, other)

    def __ror__(self, other: Mapping[str, object]) -> ClearArguments:  # type: ignore[override]
        return _union(other, self)

    def __reduce__(self) -> tuple[object, ...]:
        raise TypeError("arguments with secrets in clear cannot be pickled; pass the cord instead")


def _union(*parts: Mapping[str, object]) -> ClearArguments:
    made = ClearArguments({})
    for part in parts:
        made.update(part)
        made._masked = {k: v for k, v in made._masked.items() if k not in part} | getattr(part, "_masked", {})
    return made


def _unmasked(value: object) -> object:
    if isinstance(value, Secret):
        return value.unmask()
    if isinstance(value, dict):
        return ClearArguments(value)
    return [_unmasked(one) for one in value] if isinstance(value, list) else value


def _shown(value: object) -> object:
    """A value as `repr` is to show it: secrets as their masks."""
    if isinstance(value, Secret):
        return str(value)
    if isinstance(value, dict) and not isinstance(value, ClearArguments):
        return {name: _shown(inner) for name, inner in value.items()}
    return [_shown(one) for one in value] if isinstance(value, list) else value


def _holds_secret(value: object) -> bool:
    if isinstance(value, dict):
        return any(_holds_secret(inner) for inner in value.values())
    if isinstance(value, list):
        return any(_holds_secret(inner) for inner in value)
    return isinstance(value, Secret)


def as_bytes(value: object) -> object:
    """Give arguments whose secrets, where they are more than ASCII, go to the driver as bytes."""
    if isinstance(value, dict):
        return {name: as_bytes(inner) for name, inner in value.items()}
    return SecretBytes(value.unmask()) if isinstance(value, Secret) and not value.unmask().isascii() else value
