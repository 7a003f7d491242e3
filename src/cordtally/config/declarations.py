"""The connections that a file declares: each with its places, and the cord that they come to."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from ..catalog import engine_ids, find_name
from ..composing import compose
from ..errors import AmbiguousText, CordTallyError, FieldError, TextError, UnknownName
from ..exchange import Reading, read
from ..model import Cord, Host, Secret
from ..model.placeholders import is_placeholder, variable_in
from ..syntax import Slot, Tree, format_of, open_tree
from .layouts import CordPlaces, Found, Keys, Layout, find_cords, layout_of
from .speaking import find_speaking

PARTS = ("host", "port", "database", "user", "password")


@dataclass(frozen=True, slots=True, kw_only=True)
class Declared:
    """One connection of a file: its name, its slots by role, what they come to, or why they come to nothing.

    ``reading`` is that of the text where there is one; ``from_variables`` names what is filled in while a program runs.
    """

    name: str
    environment: str | None
    tree: Tree
    layout: Layout
    places: CordPlaces
    slots: Mapping[str, Slot]
    options: Mapping[Keys, Slot] = field(default_factory=dict)
    cord: Cord | None = None
    reading: Reading | None = None
    problem: str | None = None
    from_variables: Mapping[str, str] = field(default_factory=dict)

    @property
    def title(self) -> str:
        """What it is called: the name, and the environment behind an @."""
        return f"{self.name}@{self.environment}" if self.environment else self.name

    def place_of(self, role: str) -> tuple[int, int] | None:
        """Line and column of what counts for a role."""
        slot = self.slots.get(role)
        return None if slot is None else self.tree.source.place(slot.node.start)

    def slot_of(self, role: str) -> Slot | None:
        """The slot that counts for a part: its own, or the text that holds it."""
        own, text = self.slots.get(role), self.slots.get("text")
        in_text = self.reading is not None and _has(self.reading.cord, role)
        if own is not None and (text is None or not in_text or self.places.wins == "parts"):
            return own
        return text if text is not None else own

    def to_dict(self) -> dict[str, Any]:
        """Give what may be shown of it."""
        cord = self.cord
        return {
            "name": self.name,
            "environment": self.environment,
            "layout": self.layout.id,
            "file": str(self.tree.source.path),
            "engine": None if cord is None else cord.engine,
            "place": None if cord is None else ", ".join(map(str, cord.hosts)) or None,
            "database": None if cord is None or cord.database is None else str(cord.database),
            "user": None if cord is None or cord.user is None else str(cord.user),
            "secret": secret_state(self),
            "tls": None if cord is None or cord.tls.level is None else cord.tls.level.value,
            "driver": None if self.reading is None else self.reading.driver,
            "from_variables": dict(self.from_variables),
            "problem": self.problem,
            "slots": {role: self._slot(role) for role in self.slots},
        }

    def _slot(self, role: str) -> dict[str, object]:
        line, column = self.place_of(role) or (0, 0)
        return {"key": ".".join(self.slots[role].path), "line": line, "column": column}


def secret_state(declared: Declared) -> str:
    """Say where the password is: in the file, in a variable, or nowhere in it."""
    if "password" in declared.from_variables:
        return f"from {declared.from_variables['password']}"
    password = None if declared.cord is None else declared.cord.password
    if not isinstance(password, Secret) or not password:
        return "–"
    if is_placeholder(password.unmask()):
        return "a placeholder"
    role = "password" if "password" in declared.slots else "text"
    place = declared.place_of(role)
    return f"line {place[0]}" if place else "in the file"


def declared_in(path: Path) -> list[Declared]:
    """Give the connections that a file declares, by the layout of its framework, or else by names that speak.

    Raises
    ------
    FieldError
        When the format of the file is not known here, or it is no text.
    MissingExtra
        When the format's grammar is not installed.
    OSError
        When it cannot be read.
    """
    name = format_of(path)
    if name is None:
        raise FieldError(f"{path}: files of this kind are not read yet", path=path)
    tree = open_tree(path, name)
    found = tree.slots()
    layout, environment = layout_of(path, found)
    find = find_cords if layout.cords else find_speaking
    cords = find(layout, found, layout.equal or tree.equal)
    return [_declared(tree, layout, one, environment) for one in cords]


def declared_as(path: Path, name: str) -> Declared:
    """Give the one connection of a file that has this name, with its environment behind an @ where several have it.

    Raises
    ------
    UnknownName
        When there is none, or there are several.
    """
    from ..catalog import find_nearest

    every = declared_in(path)
    exact = [one for one in every if name in {one.title, one.name}]
    if len(exact) == 1:
        return exact[0]
    titles = [one.title for one in every]
    nearest = find_nearest(name, dict.fromkeys([*titles, *(one.name for one in every)]))
    hint = f"{path.name} declares {', '.join(titles) or 'nothing'}"
    raise UnknownName("connection", name.partition("@")[0], nearest=nearest, hint=hint)


def _declared(tree: Tree, layout: Layout, found: Found, environment: str | None) -> Declared:
    made = Declared(
        name=found.name,
        environment=found.environment or environment,
        tree=tree,
        layout=layout,
        places=found.places,
        slots=found.slots,
        options=found.options,
    )
    values = {role: slot.node.value or "" for role, slot in found.slots.items()}
    variables = {
        role: name
        for role, slot in found.slots.items()
        if (name := slot.node.variable or _filled_in(layout, values[role]))
    }
    made = replace(made, from_variables=variables)
    try:
        return _with_cord(made, {r: v for r, v in values.items() if r not in variables or found.slots[r].node.variable})
    except AmbiguousText as error:
        return replace(made, problem=f"{error.problem}: {', '.join(error.targets)}")
    except TextError as error:
        return replace(made, problem=error.problem)
    except CordTallyError as error:
        return replace(made, problem=str(error).partition("\n")[0])


def _filled_in(layout: Layout, value: str) -> str | None:
    """The variable that a framework fills in; where the framework is not known, whatever looks like one."""
    fills = layout.fills_in in value if layout.fills_in else not layout.cords
    return variable_in(value) if fills else None


def _with_cord(made: Declared, values: dict[str, str]) -> Declared:
    reading = read(values["text"]) if values.get("text") else None
    parts = {role: values[role] for role in PARTS if values.get(role)}
    if reading is None:
        engine = _engine(made.layout, made.places, values)
        if engine is None:
            wanted = "the text" if "text" in made.from_variables else "which engine it is"
            return replace(made, problem=f"the file does not tell {wanted}")
        password = parts.pop("password", None)
        cord = _with_options(made, compose(engine=engine, **parts))
        return replace(made, cord=cord if password is None else cord.copy_with(password=Secret(password)))
    return replace(made, reading=reading, cord=_laid_over(reading.cord, parts, made.places.wins))


def _with_options(made: Declared, cord: Cord) -> Cord:
    """Give a cord what stands among the further arguments of its driver."""
    driver = made.layout.emit.get("drivers", {}).get(cord.engine)
    if driver is None or not made.options:
        return cord
    arguments: dict[str, Any] = {}
    for keys, slot in made.options.items():
        if slot.node.value is None:
            continue  # computed, or filled in when the program runs
        into = arguments
        for key in keys[:-1]:
            into = into.setdefault(key, {})
        into[keys[-1]] = int(slot.node.value) if slot.node.style == "number" else slot.node.value
    found = read(arguments, driver=f"{driver}/arguments").cord
    return cord.copy_with(tls=found.tls, options=found.options, native=found.native)


def _engine(layout: Layout, places: CordPlaces, values: dict[str, str]) -> str | None:
    if places.engine is not None:
        return places.engine
    word = values.get("engine_in", "")
    return layout.engines.get(word.casefold()) or (find_name("engine", word, engine_ids()) if word else None)


def _has(cord: Cord, role: str) -> bool:
    if role in {"host", "port"}:
        return bool(cord.hosts) and (role == "host" or cord.hosts[0].port is not None)
    return getattr(cord, role, None) is not None


def _laid_over(cord: Cord, parts: dict[str, str], wins: str) -> Cord:
    """Lay what stands beside a text over it, or under it, as the layout has it."""
    for role, value in parts.items():
        if wins == "text" and _has(cord, role):
            continue
        if role == "password":
            cord = cord.copy_with(password=Secret(value))
        elif role in {"host", "port"}:
            first = cord.hosts[0] if cord.hosts else Host("")
            host = (
                Host(value, first.port)
                if role == "host"
                else Host(first.address, int(value) if value.isdigit() else None)
            )
            cord = cord.copy_with(hosts=(host, *cord.hosts[1:]))
        else:
            cord = cord.copy_with(**{role: value})
    return cord
