"""The labelled tree: how much of it a sweep finds, how it is told, and that no secret of it is shown."""

import pytest

import cordtally as ct

from .labelled import score, write_tree

LEAST = {
    "secrets found": 0.97,
    "severity right": 0.95,
    "errors right": 0.97,
    "engine right": 0.97,
    "span exact": 0.95,
    "others noted": 0.95,
    "look-alikes passed": 0.97,
}


@pytest.fixture(scope="module")
def swept(tmp_path_factory):
    tree = write_tree(tmp_path_factory.mktemp("labelled"))
    return tree, ct.sweep(tree.root, workers=1)


def test_what_is_labelled_is_found_and_nothing_else(swept):
    tree, result = swept
    assert result.files == tree.files >= 250
    assert (len(tree.items) >= 500, len(tree.look_alikes) >= 500) == (True, True)
    got = score(tree, result.hits)
    assert {name: got.ratio(name) for name in LEAST if got.ratio(name) < LEAST[name]} == {}, "\n".join(got.wrong)


def test_no_secret_of_it_is_shown(swept):
    tree, result = swept
    shown = repr([hit.to_dict() for hit in result.hits]) + repr(result.hits)
    assert [item.secret for item in tree.items if len(item.secret) > 3 and item.secret in shown] == []
