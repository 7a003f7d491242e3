"""The connections that a file declares: each with its places, and the cord that they come to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, NamedTuple

from ..errors import AmbiguousText, CordTallyError, FieldError, TextError, UnknownName
from ..exchange import Reading, read
from ..model import Cord, Secret
from ..model.placeholders import is_placeholder
from ..syntax import Slot, Tree, format_of, open_tree
from .cords import Stated, cord_of, has_part
from .layouts import CordPlaces, Layout, layouts_of, speaking
from .matching import Found, Keys, find_cords
from .speaking import find_speaking, find_texts
from .spreading import spread
from .stand_ins import filled_parts, name_in, with_stand_ins, without_stand_ins
from .symbols import engine_loaded
from .variables import fill_in, filled_in


class Loser(NamedTuple):
    """A place that does not count: its role, its slot, and what counts instead of it."""

    role: str
    slot: Slot
    winner: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Declared:
    """One connection of a file: its name, its slots by role, what they come to, or why they come to nothing.

    ``reading`` is that of the text where there is one; ``from_variables`` names what is filled in while a program runs,
    ``overridden`` the variables that count instead of what stands in the file; ``pools`` holds the slots of settings by
    their library. Where parts of the text are filled in, ``text`` has ``stand_ins`` for them, and ``frame`` is its
    reading: what edits go by, whatever the parts come to.
    """

    name: str
    environment: str | None
    tree: Tree
    layout: Layout
    places: CordPlaces
    slots: Mapping[str, Slot]
    options: Mapping[Keys, Slot] = field(default_factory=dict)
    pools: Mapping[str, Mapping[str, Slot]] = field(default_factory=dict)
    cord: Cord | None = None
    reading: Reading | None = None
    problem: str | None = None
    from_variables: Mapping[str, str] = field(default_factory=dict)
    overridden: Mapping[str, str] = field(default_factory=dict)
    losing: Sequence[Loser] = ()
    text: str = ""
    stand_ins: Mapping[str, str] = field(default_factory=dict)
    frame: Reading | None = None

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
        in_text = self.reading is not None and has_part(self.reading.cord, role)
        if own is not None and (text is None or not in_text or self.places.wins == "parts"):
            return own
        return text if text is not None else own

    @property
    def pool(self) -> tuple[str, dict[str, str]] | None:
        """The pool library whose settings stand here, the most special one of several, and what they are."""
        for library, slots in reversed(list(self.pools.items())):
            if settings := {name: slot.node.value for name, slot in slots.items() if slot.node.value is not None}:
                return library, settings
        return None

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
            "overridden": dict(self.overridden),
            "pool": None if self.pool is None else {"library": self.pool[0], "settings": self.pool[1]},
            "problem": self.problem,
            "slots": {role: self._slot(slot) for role, slot in self.slots.items()},
            "losing": [{"role": one.role, "winner": one.winner, **self._slot(one.slot)} for one in self.losing],
        }

    def _slot(self, slot: Slot) -> dict[str, object]:
        line, column = self.tree.source.place(slot.node.start)
        return {"key": ".".join(slot.path), "line": line, "column": column}


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
    if role in declared.overridden:
        return f"from {declared.overridden[role]}"
    place = declared.place_of(role)
    return f"line {place[0]}" if place else "in the file"


def declared_in(
    path: Path, *, variables: Mapping[str, str] | None = None, file_format: str | None = None
) -> list[Declared]:
    """Give the connections that a file declares, by the layout of its framework, or else by names that speak.

    Parameters
    ----------
    path : Path
        The file.
    variables : mapping, optional
        The environment that the program would have: look-ups are filled in, and what wins over the file does.
    file_format : str, optional
        How the file is read, where its name does not tell.

    Raises
    ------
    FieldError
        When the format of the file is not known here, or it is no text.
    MissingExtra
        When the format's grammar is not installed.
    OSError
        When it cannot be read.
    """
    name = file_format or format_of(path)
    if name is None:
        raise FieldError(f"{path}: files of this kind are not read yet", path=path)
    return declared_of(open_tree(path, name, all_of_it=False), variables=variables)


def declared_of(tree: Tree, *, variables: Mapping[str, str] | None = None) -> list[Declared]:
    """Give the connections that a file declares which was read already, as `declared_in` does."""
    path, every = tree.source.path, tree.slots()
    made, claimed = list[Declared](), set[int]()
    for layout, environment in layouts_of(path, every):
        found = spread(layout, every)
        equal = layout.equal or tree.equal
        cords = find_cords(layout, found, equal) if layout.cords else find_speaking(speaking(), found, equal)
        before = set(claimed)
        for one in cords:
            if {id(slot.node) for slot in one.slots.values()} <= before:
                continue  # a layout that goes before has it
            claimed |= {id(slot.node) for slot in (*one.slots.values(), *one.options.values())}
            made.append(_declared(tree, layout, one, environment, variables))
    if all(one.layout.cords for one in made) and made:  # a known file may hold other texts beside
        others = [slot for slot in every if id(slot.node) not in claimed and not _loses(slot, made)]
        made += [_declared(tree, speaking(), one, None, variables) for one in find_texts(others)]
    return made


def _loses(slot: Slot, made: list[Declared]) -> bool:
    return any(loser.slot.node is slot.node for one in made for loser in one.losing)


def declared_as(path: Path, name: str, *, variables: Mapping[str, str] | None = None) -> Declared:
    """Give the one connection of a file that has this name, with its environment behind an @ where several have it.

    Raises
    ------
    UnknownName
        When there is none, or there are several.
    """
    from ..catalog import find_nearest

    every = declared_in(path, variables=variables)
    exact = [one for one in every if name == one.title] or [one for one in every if name == one.name]
    if len(exact) == 1:
        return exact[0]
    titles = [one.title for one in every]
    nearest = find_nearest(name, dict.fromkeys([*titles, *(one.name for one in every)]))
    hint = f"{path.name} declares {', '.join(titles) or 'nothing'}"
    raise UnknownName("connection", name.partition("@")[0], nearest=nearest, hint=hint)


def _declared(
    tree: Tree, layout: Layout, found: Found, environment: str | None, variables: Mapping[str, str] | None
) -> Declared:
    made = Declared(
        name=found.name,
        environment=found.environment or environment,
        tree=tree,
        layout=layout,
        places=found.places,
        slots=found.slots,
        options=found.options,
        pools=found.pools,
    )
    values, from_variables = dict[str, str](), dict[str, str]()
    for role, slot in found.slots.items():
        value, variable = fill_in(slot.node, layout, variables)
        if variable is not None:
            from_variables[role] = variable
        if value is not None:
            values[role] = value
    text, stand_ins = _with_stand_ins(found, layout)
    known = "text" in values
    if stand_ins and not known:
        values["text"] = text
    overridden = filled_in(found, values, variables)
    made = replace(
        made, from_variables=from_variables, overridden={role: name for role, (name, _) in overridden.items()}
    )
    values |= {role: value for role, (_, value) in overridden.items()}
    made = replace(made, text=text, stand_ins=stand_ins)
    if (
        not layout.files
        and not {"text", "engine_in"} & set(values)
        and (engine := engine_loaded(tree.language, tree.source.text)) is not None
    ):
        values["engine_in"] = engine
    try:
        cord, reading = cord_of(Stated(layout, found.places, values, found.options))
    except AmbiguousText as error:
        return replace(made, problem=f"{error.problem}: {', '.join(error.targets)}", losing=_losers(made, found))
    except TextError as error:
        return replace(made, problem=error.problem, losing=_losers(made, found))
    except CordTallyError as error:
        return replace(made, problem=str(error).partition("\n")[0], losing=_losers(made, found))
    problem = None if cord is not None else _missing(made)
    if cord is not None and stand_ins and reading is not None:
        frame = reading if not known else _frame(text.removeprefix(found.places.strips), reading.target)
        whole = {role: name for role, name in from_variables.items() if role != "text"}
        filled = {} if frame is None else filled_parts(frame.cord, stand_ins)
        names = {role: name_in(raw, layout) or raw for role, raw in filled.items()}
        made = replace(made, from_variables=names | whole, frame=frame)
        cord = cord if known else without_stand_ins(cord, stand_ins)
    made = replace(made, cord=cord, reading=reading, problem=problem)
    return replace(made, losing=_losers(made, found))


def _with_stand_ins(found: Found, layout: Layout) -> tuple[str, dict[str, str]]:
    """A text with stand-ins for the parts that are filled in, and what each stands for; none where all of it is."""
    slot = found.slots.get("text")
    if slot is None or slot.node.value is None or slot.node.variable is not None:
        return "", {}
    text, stand_ins = with_stand_ins(slot.node.value, layout)
    return (text, stand_ins) if stand_ins and text not in stand_ins else ("", {})


def _frame(text: str, target: str) -> Reading | None:
    try:
        return read(text, driver=target)
    except CordTallyError:
        return None


def _missing(made: Declared) -> str:
    if (variable := made.from_variables.get("text")) is not None:
        return f"the text is filled in from {variable}"
    return "the file does not tell which engine it is"


def _losers(made: Declared, found: Found) -> list[Loser]:
    """The places that do not count: lesser keys, parts beside a text that has them, what a variable replaces."""
    losers = [Loser(role, slot, f"line {(made.place_of(role) or (0, 0))[0]}") for role, slot in found.losing]
    for role, slot in made.slots.items():
        if role in made.overridden:
            losers.append(Loser(role, slot, made.overridden[role]))
        elif role not in {"text", "engine_in"} and made.reading is not None and _is_in_text(made, role, slot):
            losers.append(Loser(role, slot, "the text"))
    if made.places.wins == "parts" and made.reading is not None and "text" in made.slots:
        losers += [
            Loser(f"{role} in the text", made.slots["text"], f"line {(made.place_of(role) or (0, 0))[0]}")
            for role in ("host", "port", "database", "user", "password")
            if role in made.slots and has_part(made.reading.cord, role)
        ]
    return losers


def _is_in_text(made: Declared, role: str, slot: Slot) -> bool:
    """Whether a text counts for a part that has a place of its own, too."""
    if "text" in made.slots:
        return made.slot_of(role) is not slot
    return made.reading is not None and made.places.wins == "text" and has_part(made.reading.cord, role)
