"""Everyday names for engines, languages, levels, drivers and pools: which one is taken is said, and what none is, too."""

from cordtally.catalog import engine_ids, find_name, load_index
from cordtally.catalog.everyday import _everyday
from cordtally.catalog.pool_libraries import list_pools
from cordtally.model import TlsLevel


def test_second_names_are_not_shown(cli):
    for command, hidden in (("convert", "--for"), ("show", "--for"), ("compose", "--for"), ("read", "--driver"), ("vet", "--driver")):
        shown = cli(command, "--help")[1]
        assert hidden not in shown
        assert "--to TARGET" in shown or "--from DRIVER" in shown


def test_everyday_names_lead_to_names_and_hide_none():
    known = {"engine": set(engine_ids()), "language": {facts["language"] for facts in load_index()["drivers"].values()},
             "TLS level": {level.value for level in TlsLevel}, "pool library": set(list_pools())}  # fmt: skip
    assert set(_everyday()) == set(known)
    for kind, names in _everyday().items():
        assert set(names.values()) <= known[kind]
        assert not set(names) & known[kind]
        assert all(find_name(kind, name.upper(), known[kind]) == called for name, called in names.items())
