"""Vets the examples of rules, each as what it is: a text, settings of a pool, a line, a file, several files."""

import subprocess
from pathlib import Path

import cordtally as ct
from cordtally.catalog import driver_ids
from cordtally.model import Duration
from cordtally.pooling.settings import ServerLimits, read_settings, vet_pool
from cordtally.sweeping import sweep_text
from cordtally.vetting import Sight


def rules_of(rule, example, folder, monkeypatch):
    """The ids of the rules that report an example."""
    if rule.sees is Sight.LINE:
        return {hit.rule for hit in sweep_text(example + "\n", Path("x.py" if "environ" in example else "x.toml"))}
    if rule.sees is Sight.POOL:
        return _of_pool(example)
    if "\n" in example and rule.sees is not Sight.ODD:
        return _of_files(example, folder, monkeypatch)
    driver, environment, text = None, None, example
    head, colon, rest = example.partition(": ")
    if colon and head in {"production", "staging"}:
        environment, text = head, rest
    elif colon and head in driver_ids():
        driver, text = head, rest
    return {found.rule for found in ct.vet(text, driver=driver, environment=environment)}


def _of_pool(example):
    settings, _, server = example.partition(" | ")
    library, *pairs = settings.split()
    given = dict(pair.split("=") for pair in server.split())
    idle = Duration.parse(given["idle"]).seconds if "idle" in given else None
    limits = ServerLimits(connections=int(given["limit"]) if "limit" in given else None, idle_timeout=idle)
    read_in = read_settings(library, dict(pair.split("=") for pair in pairs))
    return {found.rule for found in vet_pool(read_in, instances=int(given.get("instances", 1)), server=limits)}


def _of_files(example, folder, monkeypatch):
    """Lay the files out: a + before a name has git keep it, a variable before the first name sets it."""
    folder.mkdir()
    for text in example.split("---\n"):
        name, _, content = text.partition("\n")
        while "=" in name:
            monkeypatch.setenv(*name.split("=", 1))
            name, _, content = content.partition("\n")
        path = folder / name.removeprefix("+ ")
        path.parent.mkdir(exist_ok=True)
        path.write_text(content)
        if name.startswith("+ "):
            for command in (["init", "-q"], ["add", "-f", path.name]):
                subprocess.run(["git", "-C", folder, *command], check=True, capture_output=True)
    return {found.rule for found in ct.vet(folder)}
