"""What .gitignore files leave out, with git as the judge; and that nothing in one takes long, or is waited for."""

import os
import random
import subprocess
from pathlib import Path

import pytest

from cordtally.syntax import walk
from cordtally.syntax.ignoring import parse_rules

FILES = ["b.c", "a/b.c", "a/b", "x/a/b", "ab", "a b", "x/y/z/a", "a.b/c", "#a", "!a", "x/y/b.c", "x/[a]", "abc/abc", "a/x/y/b", "]a", "a-b"]  # fmt: skip
FOLDERS = {"/".join(name.split("/")[:depth]) for name in FILES for depth in range(1, name.count("/") + 1)}
WORDS = ["a", "b", "c", "x", "*", "**", "/", "?", "[ab]", "[!a]", "!", "\\", "#", " ", ".", "[a-c]", "[[:alpha:]]", "/**/", "y", "]", "[", "-"]  # fmt: skip


@pytest.fixture(scope="module")
def repository(tmp_path_factory):
    folder = tmp_path_factory.mktemp("repository")
    subprocess.run(["git", "init", "-q", folder], check=True)
    for name in FILES:
        (folder / name).parent.mkdir(parents=True, exist_ok=True)
        (folder / name).touch()
    return folder


def ignored(rules, name):
    parts = tuple(name.split("/"))
    for depth in range(1, len(parts) + 1):
        verdict = rules.verdict(parts[:depth], folder=depth < len(parts))
        if verdict and depth < len(parts):
            return True
    return bool(verdict)


@pytest.mark.parametrize("seed", range(60))
def test_patterns_leave_out_what_git_leaves_out(repository, seed):
    chance = random.Random(seed)
    lines = ["".join(chance.choices(WORDS, k=chance.randint(1, 6))) for _ in range(3)]
    text = "\n".join(lines) + "\n"
    (repository / ".gitignore").write_text(text)
    asked = subprocess.run(
        ["git", "-C", repository, "check-ignore", "--no-index", "--stdin", "-z"], input="\0".join(FILES), capture_output=True, text=True, check=False,
    )  # fmt: skip
    rules = parse_rules(text)
    assert [name for name in FILES if ignored(rules, name)] == [name for name in FILES if name in asked.stdout.split("\0")], lines


def test_hostile_files_of_patterns(tmp_path):
    """What made an expression run for ever, wait, or read without an end; a pattern that is none fits nothing."""
    (tmp_path / "a").write_text("\n".join(["*a" * 24, *(f"x{number}*y" for number in range(20_000)), "!", "[", "b/\\"]))
    (tmp_path / "deep").mkdir()
    os.mkfifo(tmp_path / "deep" / ".gitignore")
    (tmp_path / "zero").mkdir()
    (tmp_path / "zero" / ".gitignore").symlink_to("/dev/zero")
    (tmp_path / "loop").mkdir()
    (tmp_path / "loop" / ".gitignore").symlink_to(".gitignore")
    os.rename(tmp_path / "a", tmp_path / ".gitignore")
    (tmp_path / ("a" * 200)).touch()
    (tmp_path / "zero" / "kept").touch()
    assert [path.name for path in walk(tmp_path)] == [".gitignore", "kept"]


def test_what_is_left_out_is_told(tmp_path):
    (tmp_path / ".gitignore").write_text("*.env\n")
    (tmp_path / "local.env").touch()
    told = []
    assert [path.name for path in walk(tmp_path, ignored=told.append)] == [".gitignore"]
    assert told == [tmp_path / "local.env"]
    assert isinstance(told[0], Path)
