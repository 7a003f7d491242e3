"""What may be called of the pools says what it takes: each parameter by its name, as numpydoc has it."""

import importlib
import inspect
import pkgutil
import re

import pytest

import cordtally.pooling

NAMED = re.compile(r"^\*{0,2}(\w+(?:, \*{0,2}\w+)*) : ", re.MULTILINE)


def callables():
    """The functions and methods that a package of pools exports, by their full names."""
    packages = [cordtally.pooling]
    for found in pkgutil.walk_packages(cordtally.pooling.__path__, "cordtally.pooling."):
        if found.ispkg:
            packages.append(importlib.import_module(found.name))
    for package in packages:
        for name in getattr(package, "__all__", ()):
            thing = getattr(package, name)
            if inspect.isfunction(thing):
                yield f"{thing.__module__}.{name}", thing
            elif inspect.isclass(thing) and not issubclass(thing, Exception):
                for inner in vars(thing).values():
                    method = inner.__func__ if isinstance(inner, classmethod | staticmethod) else inner
                    if inspect.isfunction(method) and not method.__name__.startswith("_") and method.__doc__:
                        yield f"{thing.__module__}.{name}.{method.__name__}", method


CALLABLES = dict(callables())


@pytest.mark.parametrize("name", CALLABLES)
def test_each_parameter_is_described(name):
    taken = [p.name for p in inspect.signature(CALLABLES[name]).parameters.values() if p.name not in {"self", "cls"}]
    described = inspect.getdoc(CALLABLES[name]).partition("Parameters\n----------\n")[2]
    assert {word for found in NAMED.findall(described) for word in found.split(", ")} >= set(taken)


def test_each_that_names_a_formula_gives_its_source():
    for name in ("blocking", "wait_probability", "mean_wait", "wait_quantile"):
        assert "References\n----------\n.. [1] " in inspect.getdoc(getattr(cordtally.pooling, name))
    assert len(CALLABLES) > 40
