"""What a program is started with: the cords of a tally as variables of its environment, secrets in clear.

Names are settled before a secret is fetched; nothing is written to disk.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from functools import cache

from ..catalog import find_nearest, load_driver, load_index
from ..errors import FieldError
from ..exchange import write
from ..model import Cord, Locator, Secret
from ..secrets import Surroundings, environment_for, fetch, text_for
from .tally import Resolved

_NAME = re.compile(r"[A-Za-z_]\w*", re.ASCII)


def variables_of(
    cords: Iterable[Resolved],
    forms: Iterable[str],
    environ: Mapping[str, str],
    surroundings: Surroundings | None = None,
    *,
    over: bool = False,
    secrets: Mapping[str, Locator] | None = None,
) -> dict[str, str]:
    """Give the variables that stand for some cords.

    Parameters
    ----------
    cords : iterable of Resolved
        Cords of a tally.
    forms : iterable of str
        How each is put: ``DRIVER``, the variables that it reads (libpq, mysql-client); ``NAME=TARGET``, one variable
        with the text for a target; ``url:NAME``, one with the text for the cord's own driver. Without one, the
        variables of the engine's client.
    environ : mapping
        What the program has beside them.
    surroundings : Surroundings, optional
        How secrets are fetched.
    over : bool
        Whether a variable of ``environ`` may be replaced.
    secrets : mapping, optional
        Variables that stand for a secret by itself, and where it is kept.

    Raises
    ------
    FieldError
        Where a form says nothing for a cord, or a variable would be given twice or overwritten.
    LocatorError
        When a secret is not there.
    """
    plans = [(one, form) for one in cords for form in (list(forms) or [_usual(one)])]
    owner: dict[str, str] = {}
    names = [(one.title, name) for one, form in plans for name in _names(one, form)]
    for title, name in [*names, *((str(locator), _variable(name)) for name, locator in (secrets or {}).items())]:
        if name in owner:
            raise FieldError(f"{name} would stand for {owner[name]} and {title}: start it with one of them")
        if name in environ and not over:
            raise FieldError(f"{name} is set already: --over replaces it, and unset {name} clears it")
        owner[name] = title
    made: dict[str, str] = {}
    for one, form in plans:
        made |= _values(one, form, surroundings)
    for name, locator in (secrets or {}).items():
        made[name] = fetch(locator, surroundings).unmask()
    return made


def _usual(one: Resolved) -> str:
    for client in _clients():
        if one.cord.engine in load_driver(client).engines:
            return client
    raise FieldError(f"{one.name}: clients of {one.cord.engine} read no variables: say --as NAME=TARGET")


@cache
def _clients() -> tuple[str, ...]:
    """The drivers that read variables of the environment."""
    drivers = load_index()["drivers"]
    return tuple(id for id in drivers if any(one.grammar == "environment" for one in load_driver(id).notations))


def _names(one: Resolved, form: str) -> list[str]:
    """The variables that a form sets, told without a secret."""
    if _target(one, form) is not None:
        return [_variable(form)]
    cord = one.cord
    if isinstance(cord.password, Locator):
        cord = cord.copy_with(password=Secret("x"))
    return list(environment_for(cord, form))


def _values(one: Resolved, form: str, surroundings: Surroundings | None) -> dict[str, str]:
    target = _target(one, form)
    if target is None:
        return environment_for(one.cord, form, surroundings)
    return {_variable(form): text_for(one.cord, target, surroundings)}


def _variable(form: str) -> str:
    name = form.removeprefix("url:") if form.startswith("url:") else form.partition("=")[0]
    if _NAME.fullmatch(name) is None:
        raise FieldError(f"{name!r} is no name of a variable")
    return name


def _target(one: Resolved, form: str) -> str | None:
    """The target whose text one variable gets; None where a client's own variables are meant."""
    if form.startswith("url:"):
        if one.driver is None or "://" not in str(write(_bare(one.cord), one.driver).text):
            raise FieldError(f"{one.name} has no driver that reads a URL: say --as {form.removeprefix('url:')}=TARGET")
        return one.driver
    name, equals, target = form.partition("=")
    if equals:
        write(_bare(one.cord), target)
        return target
    if name not in _clients():
        near = find_nearest(name, _clients(), most=1)
        hint = f"did you mean {near[0]}?" if near else f"there are {', '.join(_clients())}, NAME=TARGET and url:NAME"
        raise FieldError(f"no client reads variables as {name!r}; {hint}")
    return None


def _bare(cord: Cord) -> Cord:
    return cord.copy_with(password=None)
