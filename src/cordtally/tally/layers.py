"""Lays layers of fields over each other: what counts, where it came from, and what it won over.

A text stands for the fields that it states, in its layer and below that layer's own fields; of several texts that of
the highest layer counts, alone.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import NamedTuple

from ..errors import TallyError
from ..model import Cord, MaskedText
from .files import TallyFile
from .shape import CORD

_ORDER = tuple(CORD)
_EXCLUSIVE = {"hosts": ("host", "port"), "host": ("hosts",)}


class Lost(NamedTuple):
    """A value that does not count, the layer it stands in, and its field where that is another one."""

    value: str
    layer: str
    field: str = ""


class FieldOrigin(NamedTuple):
    """One field of a resolved cord: its value as text, the layer that it came from, and the values that lost."""

    field: str
    value: str
    layer: str
    lost: tuple[Lost, ...] = ()


class TextFields(NamedTuple):
    """What a text states: fields, the rest of its cord, its driver, and itself as it may be shown."""

    fields: Mapping[str, object]
    rest: Cord
    text: MaskedText


@dataclass(frozen=True, slots=True)
class Layer:
    """The fields of one layer, its table, and the file that has it, if it is of one.

    ``place`` says of a field where it stands there, and is asked only for showing.
    """

    fields: Mapping[str, object] = field(repr=False)
    table: str
    place: Callable[[str], str]
    file: TallyFile | None = None
    text: TextFields | None = None

    def problem(self, name: str, message: str, *, nearest: tuple[str, ...] = ()) -> TallyError:
        """Make the error for what is wrong with a field of the layer."""
        if self.file is not None:
            return self.file.problem(self.table, name, message, nearest=nearest)
        return TallyError(f"{self.place(name)}: {message}", nearest=nearest)


@dataclass(slots=True, repr=False)
class Merged:
    """The fields that count, what is left of the text that counts, and all that was stated, lowest layer first."""

    fields: dict[str, object] = field(default_factory=dict)
    rest: Cord | None = None
    stated: dict[str, list[tuple[object, Layer]]] = field(default_factory=dict)
    counts: dict[str, int] = field(default_factory=dict)

    def layer_of(self, name: str) -> Layer:
        """The layer that a field which counts came from."""
        return self.stated[name][self.counts[name]][1]

    def origins(self) -> Iterator[FieldOrigin]:
        """Say of each field that counts where it came from; what lost to another field comes with that one."""
        lost_to: dict[str, list[Lost]] = {}
        for name, values in self.stated.items():
            if name not in self.counts:
                winner = next((other for other in _EXCLUSIVE.get(name, ()) if other in self.counts), None)
                if winner is not None:
                    lost = [Lost(_shown(v), layer.place(name), name) for v, layer in reversed(values)]
                    lost_to.setdefault(winner, []).extend(lost)
        for name, index in sorted(self.counts.items(), key=lambda one: _ORDER.index(one[0].partition(".")[0])):
            values = self.stated[name]
            value, layer = values[index]
            lost = [Lost(_shown(v), other.place(name)) for v, other in reversed(values[:index])]
            yield FieldOrigin(name, _shown(value), layer.place(name), (*lost, *lost_to.get(name, ())))


def lay_over(layers: list[Layer]) -> Merged:
    """Lay layers over each other, lowest first."""
    merged = Merged()
    last = next((layer for layer in reversed(layers) if layer.text is not None), None)
    for layer in layers:
        if layer is last and layer.text is not None:
            merged.rest = layer.text.rest
            _lay(merged, Layer(layer.text.fields, layer.table, _of_text(layer), layer.file))
        _lay(merged, layer)
    return merged


def _of_text(layer: Layer) -> Callable[[str], str]:
    return lambda _: f"{layer.place('text')}: text"


def _lay(merged: Merged, layer: Layer) -> None:
    for name, value in layer.fields.items():
        for other in _EXCLUSIVE.get(name, ()):
            if other not in layer.fields:
                merged.fields.pop(other, None)
                merged.counts.pop(other, None)
        if isinstance(value, Mapping):
            held = merged.fields.setdefault(name, {})
            assert isinstance(held, dict)
            for key, one in value.items():
                held[key] = one
                _state(merged, f"{name}.{key}", one, layer)
        else:
            merged.fields[name] = value
            _state(merged, name, value, layer)


def _state(merged: Merged, name: str, value: object, layer: Layer) -> None:
    values = merged.stated.setdefault(name, [])
    values.append((layer.text.text if name == "text" and layer.text is not None else value, layer))
    merged.counts[name] = len(values) - 1


def _shown(value: object) -> str:
    return ", ".join(map(str, value)) if isinstance(value, list | tuple) else str(value)
