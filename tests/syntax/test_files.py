"""Edits of one value: its reader sees the new one, and every other byte stays."""

import configparser
import contextlib
import functools
import json
import os
import shutil
import stat
import subprocess
import sys
import tempfile
import tomllib
from pathlib import Path
from xml.etree import ElementTree

import pytest
import yaml
from hypothesis import given
from hypothesis import strategies as st

import cordtally as ct
from cordtally.lines import DIALECTS, encode_value, read_lines, read_value
from cordtally.syntax import Source, open_tree

AWKWARD = ["a b", "a#b", "a #b", "'", '"', "it's", 'a"b', "\\", "a\\nb", "p$1x", "${X}", "$(echo hi)", "`id`", "%s", "100%", "no", "on", "null", "~", "010",
           "1_0", "12:30", "0x1F", "5432", "a=b", "a:b", ": x", "- x", "{x}", "[x]", "é", "ü", "⚓", " lead", "trail ", "", "!x", "&x", "*x", "|", ">", "?", "@x", ",", "<x>"]  # fmt: skip
VALUES = st.one_of(st.sampled_from(AWKWARD), st.text(st.characters(min_codepoint=32, max_codepoint=0x2FFF, exclude_characters="\x7f\x85\u2028\u2029"), max_size=12))
BODIES = {
    "json": '{{\n  // a comment\n  "a": 1,\n  "target": {value},\n  "z": ["é", {{"k": null}}]\n}}{end}',
    "yaml": "# a comment\na: &x\n  b: 1\nlist: [1, two]\ntarget: {value} # behind\nother:\n  <<: *x\nz: >-\n  folded\n  text\n---\nb: 2{end}",
    "properties": "! a comment\na = 1\ntarget={value}\nb : x\\\n   y\nz\\ z value{end}",
    "variables": "# a comment\nexport A=1\ntarget={value} # behind\nZ='x y'{end}",
    "python": "# a comment\nDATABASES = {{'a': {{\n    'é': [1],\n    'target': {value},  # behind\n}}}}\nURL = 'x' 'y'{end}",
    "php": "<?php\n// a comment\n$cfg = ['a' => 1, 'é' => \"x\",\n  'target' => {value}, # behind\n];{end}",
    "javascript": "// a comment\nconst a = `x${{1}}`;\nmodule.exports = {{ é: [1], b: {{\n  target: {value}, // behind\n}} }};{end}",
    "toml": "# a comment\né = [1, 'x']\n[a.b]\n'target' = {value} # behind\nz = {{ q = 1, r.s = 'é' }}\n[[l]]\nx = 1{end}".replace("é =", "'é' ="),
    "xml": '<?xml version="1.0"?>\n<a>\n <!-- c -->\n <b name="é" target={value} z="&amp;"/>\n</a>{end}',
    "ini": "[one]\na = 1\ntarget = {value}\n; a comment\n[two]\ntarget = other{end}",
}

QUOTED = dict.fromkeys(("json", "java", "csharp", "go", "rust", "kotlin", "scala", "elixir", "powershell", "hcl", "prisma", "r", "ruby", "perl", "typescript", "braced"), '"old"')
BODIES |= {
    "java": "// a comment\nclass A {{ int é = 1; void f() {{\n  target = {value}; // behind\n}} }}{end}",
    "csharp": "// a comment\nclass A {{ string é = $\"x{{1}}\"; void F() {{\n  target = {value}; // behind\n}} }}{end}",
    "go": "package a // a comment\nvar é = `x`\nvar target = {value} // behind{end}",
    "rust": "// a comment\nconst É: &str = r#\"x\"#;\nfn f() {{\n  let target = {value}; // behind\n}}{end}",
    "kotlin": "// a comment\nval é = \"$x\"\nval target = {value} // behind{end}",
    "scala": "object A {{ // a comment\n  val z = s\"$x\"\n  val target = {value} // behind\n}}{end}",
    "elixir": "# a comment\nconfig :app, z: [1], target: {value} # behind{end}",
    "powershell": "# a comment\n$z = @{{ a = 'é' }}\n$target = {value} # behind{end}",
    "hcl": "# a comment\nresource \"x\" \"é\" {{\n  z = [1, \"${{var.a}}\"]\n  target = {value} # behind\n}}{end}",
    "prisma": "// a comment\ndatasource db {{ // é\n  provider = \"x\"\n  target = {value} // behind\n}}{end}",
    "r": "# a comment\né <- r\"(x)\"\ntarget <- {value} # behind{end}",
    "ruby": "# a comment\nz = {{ 'é' => \"#{{1}}\",\n  target: {value} }} # behind{end}",
    "perl": "# a comment\nmy %z = ('é' => \"$x\",\n  target => {value}); # behind{end}",
    "typescript": "// a comment\nconst z: string = `x${{1}}`;\nexport const a = {{ é: [1],\n  target: {value} }}; // behind{end}",
    "bash": "# a comment\nexport z=\"$é\" A=1\ntarget={value} # behind\nB=$(x){end}",
    "dockerfile": "# a comment\nFROM x\nENV A=1 \\\n  target={value}\nRUN x{end}",
    "braced": "# a comment\nstorage \"é\" {{\n  type \"x\" port 1\n  target {value} # behind\n}}\nlist = ( {{ a = 1, b = \"c\" }} );{end}",
    "option-file": "# a comment\n[client]\nz\ntarget={value} # behind\n; é{end}",
    "service": "# a comment\n[one]\nz=é\ntarget={value}\n[two]\ntarget=x{end}",
    "odbc": "; a comment\n[one]\nz = é\ntarget = {value}\ntarget = lost{end}",
    "interpolated": "; a comment\n[one]\nz = %(é)s\ntarget: {value}\n[two]{end}",
    "systemd-variables": "; a comment\nz=é \\\n  more\ntarget={value}{end}",
    "r-variables": "# a comment\nz=${{é-x}}\ntarget={value}{end}",
    "notebook": '{{"cells": [{{"cell_type": "code", "source": ["# é\\n", "target = \'old\'\\n", "z = 1"]}}], "metadata": {{}}}}{end}',
    "markdown": "# A comment\n\n```python\nz = 'é'\ntarget = {value}  # behind\n```\nmore ~~~{end}",
    "aliases": "# a comment\nZ=(A=é)\ntarget = {value}\nY=x{end}",
}
REFUSING = {"variables", "ini", "service", "odbc", "interpolated", "option-file", "systemd-variables", "r-variables", "aliases", "powershell", "hcl", "prisma", "kotlin", "scala", "elixir", "dockerfile", "rust", "go", "csharp", "bash"}


def bash(path):
    script = f'set -a; . "{path}"; printf "%s." "$target"'
    return subprocess.run(["bash", "-c", script], capture_output=True, check=True, env={"PATH": os.environ["PATH"], "LC_ALL": "C.UTF-8"}).stdout.decode()[:-1]


def section(path):
    parser = configparser.RawConfigParser()
    parser.read(path, encoding="utf-8")
    return parser["one"]["target"]


def executed(path):
    found = {}
    exec(path.read_text("utf-8"), found)
    return found["DATABASES"]["a"]["target"]


@functools.cache
def waiting():
    """A Node.js that reads each file that it is named: one process for all examples."""
    script = "require('readline').createInterface({input: process.stdin}).on('line', f => { delete require.cache[f]; console.log(JSON.stringify(require(f).b.target)) })"
    return subprocess.Popen(["node", "-e", script], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, encoding="utf-8")


def node(path):
    process, named = waiting(), path.with_suffix(".js")
    named.write_bytes(path.read_bytes())
    process.stdin.write(f"{named}\n")
    process.stdin.flush()
    return json.loads(process.stdout.readline())


READERS = {
    "python": executed,
    "toml": lambda path: tomllib.loads(path.read_text("utf-8"))["a"]["b"]["target"],
    "xml": lambda path: ElementTree.parse(path).getroot()[0].get("target"),
    "json": lambda path: json.loads(path.read_text("utf-8-sig").replace("// a comment", ""))["target"],
    "yaml": lambda path: next(yaml.safe_load_all(path.read_bytes()))["target"],
    "variables": bash,
    "ini": section,
}
if shutil.which("node"):
    READERS["javascript"] = node
if shutil.which("php"):
    SHOWN = 'error_reporting(0); include $argv[1]; echo $cfg["target"], ".";'
    READERS["php"] = lambda path: subprocess.run(["php", "-r", SHOWN, str(path)], capture_output=True, check=True).stdout.decode()[:-1]


def slot_of(tree):
    return next(slot for slot in tree.slots() if slot.path[-1].lstrip("@") == "target")


@pytest.mark.parametrize("name", BODIES)
@given(old=st.sampled_from(["old", '"old"']), value=VALUES, crlf=st.booleans(), mark=st.booleans(), end=st.sampled_from(["", "\n"]))
def test_an_edit_is_seen_by_the_reader_and_touches_nothing_else(tmp_path_factory, name, old, value, crlf, mark, end):
    if old == "old" and name in {"json", "python", "php", "xml", "javascript", "toml"}:
        old = "'old'"
    old = QUOTED.get(name, "'old'" if name in {"markdown", "notebook"} else old)
    body = BODIES[name].format(value=old, end=end)
    encoding = "latin-1" if name == "properties" else "utf-8"
    data = (b"\xef\xbb\xbf" if mark and name in {"json", "yaml"} else b"") + body.replace("\n", "\r\n" if crlf and name not in {"variables", "bash"} else "\n").encode(encoding)
    path = tmp_path_factory.mktemp("edited") / f"file.{name}"
    path.write_bytes(data)
    tree = open_tree(path, name)
    slot = slot_of(tree)
    try:
        made = tree.edited([(slot.node, value)])
    except ct.FieldError:
        assert name in REFUSING, value  # these cannot hold everything
        return
    if name == "notebook":
        old = json.dumps("target = 'old'\n")
    before, after = data.index(old.encode()), len(data) - data.index(old.encode()) - len(old.encode())
    assert (made[:before], made[len(made) - after :]) == (data[:before], data[len(data) - after :])
    path.write_bytes(made)
    assert slot_of(open_tree(path, name)).node.value == value
    if name in READERS:
        assert READERS[name](path) == value, made


@given(VALUES, st.sampled_from(sorted(DIALECTS)), st.sampled_from(["plain", "'", '"']))
def test_a_value_is_written_as_its_reader_reads_it_or_not_at_all(value, name, style):
    try:
        written = encode_value(value, style, DIALECTS[name])
    except ct.FieldError:
        return
    assert read_value(written, DIALECTS[name]) == value
    (line,) = read_lines(f"k={written}\n", DIALECTS[name])
    assert (line.name, line.value) == ("k", value)


PROPERTIES = [("a=b", {"a": "b"}), ("a b", {"a": "b"}), ("a:b", {"a": "b"}), ("a = b=c", {"a": "b=c"}), ("a\\ b=c", {"a b": "c"}), ("a=\\u00fc", {"a": "ü"}), ("a=b\\\n   c", {"a": "bc"}),
              ("a", {"a": ""}), ("#a=b\n!c=d\ne=f", {"e": "f"}), ("a=\\ b", {"a": " b"}), ("a=\\tb\\q", {"a": "\tbq"}), ("a=1\na=2", {"a": "2"}), ("a=C:\\\\x", {"a": "C:\\x"})]  # fmt: skip


@pytest.mark.parametrize(("text", "found"), PROPERTIES)
def test_properties_are_read_as_java_reads_them(text, found):
    assert {line.name: line.value for line in read_lines(text, DIALECTS["properties"])} == found


def test_a_file_is_replaced_whole_or_not_at_all(tmp_path):
    path, link = tmp_path / "a.yaml", tmp_path / "link.yaml"
    path.write_bytes(b"a: 1\n")
    path.chmod(0o640)
    link.symlink_to(path)
    source = Source.load(link)
    source.replace(b"a: 2\n")
    assert (path.read_bytes(), stat.S_IMODE(path.stat().st_mode), link.is_symlink()) == (b"a: 2\n", 0o640, True)
    with pytest.raises(ct.FieldError, match="has changed meanwhile"):
        source.replace(b"a: 3\n")
    assert path.read_bytes() == b"a: 2\n"
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith(".")] == []


@contextlib.contextmanager
def as_nobody():
    """As a user without rights, where the tests are run by root."""
    if os.geteuid() == 0:
        os.seteuid(65534)
        try:
            yield
        finally:
            os.seteuid(0)
    else:
        yield


def test_what_cannot_be_written_is_as_it_was():
    with tempfile.TemporaryDirectory() as folder:
        os.chmod(folder, 0o777)
        path = Path(folder) / "a.yaml"
        path.write_bytes(b"a: 1\n")
        path.chmod(0o444)
        with as_nobody(), pytest.raises(ct.FieldError, match="read-only for this user"):
            Source.load(path).replace(b"a: 2\n")
        path.chmod(0o666)
        if os.geteuid() == 0:
            with as_nobody(), pytest.raises(ct.FieldError, match="belongs to another user"):
                Source.load(path).replace(b"a: 2\n")
        # a disk that is full: no file may grow beyond a few bytes
        limited = "import resource, signal, sys; signal.signal(signal.SIGXFSZ, signal.SIG_IGN); resource.setrlimit(resource.RLIMIT_FSIZE, (3, 3)); from cordtally.cli import main; sys.exit(main(sys.argv[1:]))"
        (Path(folder) / "b.yaml").write_text("db: {engine: mysql, host: h, user: u}\n")
        done = subprocess.run([sys.executable, "-c", limited, "amend", f"{folder}/b.yaml", "--host", "h2", "--apply"], capture_output=True, text=True, check=False, env={**os.environ, "PYTHONDONTWRITEBYTECODE": "1"})
        assert (done.returncode, "File too large" in done.stderr, "Traceback" in done.stderr) == (2, True, False), done.stderr
        assert (Path(folder) / "b.yaml").read_text() == "db: {engine: mysql, host: h, user: u}\n"
        assert path.read_bytes() == b"a: 1\n"
        assert sorted(one.name for one in Path(folder).iterdir()) == ["a.yaml", "b.yaml"]


@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "utf-16-be", "latin-1"])
def test_encodings_stay(tmp_path, encoding):
    path = tmp_path / ("a.properties" if encoding == "latin-1" else "a.yaml")
    mark = b"\xfe\xff" if encoding == "utf-16-be" else b""
    path.write_bytes(mark + "a: gr\xfcn\nb: x\n".encode(encoding))
    tree = open_tree(path, "properties" if encoding == "latin-1" else "yaml")
    made = tree.source.spliced([tree.splice(tree.slots()[1].node, "w")])
    assert made == mark + "a: gr\xfcn\nb: w\n".encode(encoding)
