"""Strings of programming languages: what is written, the language's own compiler or interpreter reads; what it reads, we read."""

import os
import shutil
import subprocess

import pytest

import cordtally as ct
from cordtally.syntax import open_tree

VALUES = ["plain", "a b", "it's", 'a"b', "a\\b", "\\", "\\n", "a\nb", "a\tb", "$x", "${x}", "#{x}", "#$x", "@x", "a@b.c", "{x}", "{{x}}", "%s", "%(x)s", "`id`", "$(id)", "é", "⚓", "𝄞", '"""', "'''", "''", '""', "\x01\x7f",
          "//", "/* */", "# x", "\\u0041", "\\x41", "%{x}", "~", "*", "a=b;c", ")-\"", "\u2028"]  # fmt: skip
READ = [r"a\tb", r"\\", r"\"", r"\'", r"a\nb", r"x\$y", r"\x41", r"\101", r"\u00e9"]  # escapes, between quotes of each kind


def hexed(*command, **more):
    done = subprocess.run(command, capture_output=True, text=True, check=False, **more)
    assert done.returncode == 0, done.stderr[-600:] + done.stdout[-300:]
    return [bytes.fromhex(line).decode("utf-8", "surrogateescape") for line in done.stdout.split("\n")[:-1]]


def compiled(compiler, suffix, *start):
    def run(path):
        made = path.with_suffix(suffix)
        done = subprocess.run([*compiler(path, made)], capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr[-600:]
        return hexed(*start, str(made))

    return run


# file, before all, a line with {name} and {value}, behind all, how names are shown in hexadecimal, how it is run, old values
LANGUAGES = {
    "perl": ("f.pl", "use utf8; use Encode;\n", "my ${name} = {value};\n", "", 'print unpack("H*", encode("UTF-8", ${name})), "\\n";\n', lambda p: hexed("perl", p), ["'old'", '"old"']),
    "bash": ("f.sh", "export LC_ALL=C.UTF-8\n", "{name}={value}\n", "", "printf %s \"${name}\" | od -An -v -tx1 | tr -d ' \\n'; echo\n", lambda p: hexed("bash", p), ["'old'", '"old"', "old"]),
    "php": ("f.php", "<?php\n", "${name} = {value};\n", "", 'echo bin2hex(${name}), "\\n";\n', lambda p: hexed("php", p), ["'old'", '"old"']),
    "javascript": ("f.js", "", "const {name} = {value};\n", "", "console.log(Buffer.from({name}).toString('hex'));\n", lambda p: hexed("node", p), ["'old'", '"old"', "`old`"]),
    "ruby": ("f.rb", "", "{name} = {value}\n", "", "puts {name}.unpack1('H*')\n", lambda p: hexed("ruby", "-Ku", p), ["'old'", '"old"']),
    "go": ("f.go", 'package main\nimport "fmt"\nfunc main() {\n', "{name} := {value}\n", "}\n", 'fmt.Printf("%x\\n", {name})\n', lambda p: hexed("go", "run", p, env={**os.environ, "GOFLAGS": "-mod=mod", "GO111MODULE": "off"}), ['"old"', "`old`"]),
    "java": ("Main.java", "public class Main { public static void main(String[] a) throws Exception {\n", "String {name} = {value};\n", "}}\n",
             'System.out.println(java.util.HexFormat.of().formatHex({name}.getBytes("UTF-8")));\n', lambda p: hexed("java", "-Dfile.encoding=UTF-8", p), ['"old"']),
    "csharp": ("f.cs", "class P { static void Main() {\n", "var {name} = {value};\n", "}}\n", 'System.Console.WriteLine(System.BitConverter.ToString(System.Text.Encoding.UTF8.GetBytes({name})).Replace("-", ""));\n',
               compiled(lambda p, made: ("mcs", f"-out:{made}", p), ".exe", "mono"), ['"old"', '@"old"']),
    "rust": ("f.rs", "fn main() {\n", "let {name} = {value};\n", "}\n", 'println!("{{}}", {name}.bytes().map(|b| format!("{{:02x}}", b)).collect::<String>());\n',
             compiled(lambda p, made: ("rustc", "-o", made, p), ".bin"), ['"old"', 'r#"old"#']),
    "r": ("f.R", "", "{name} <- {value}\n", "", 'cat(paste(as.character(charToRaw(enc2utf8({name}))), collapse=""), "\\n", sep="")\n', lambda p: hexed("Rscript", p, env={**os.environ, "LC_ALL": "C.UTF-8"}), ["'old'", '"old"']),
}  # fmt: skip
NEEDED = {"csharp": "mcs", "javascript": "node", "rust": "rustc", "r": "Rscript"}


def filled(template, name, value=""):
    return template.replace("{name}", name).replace("{value}", value).replace("{{", "{").replace("}}", "}") if "{{" in template else template.replace("{name}", name).replace("{value}", value)


@pytest.mark.parametrize("language", LANGUAGES)
def test_what_is_written_its_own_reader_reads(language, tmp_path):
    name, before, line, after, show, run, olds = LANGUAGES[language]
    if shutil.which(NEEDED.get(language, language)) is None:
        pytest.skip(f"{language} is not installed")
    pairs = [(old, value) for old in olds for value in VALUES]
    names = [f"v{number}" for number in range(len(pairs))]
    text = before + "".join(filled(line, name, old) for name, (old, _) in zip(names, pairs)) + "".join(filled(show, name) for name in names) + after
    path = tmp_path / name
    path.write_text(text, encoding="utf-8")
    tree = open_tree(path, language)
    slots = {slot.path[-1]: slot for slot in tree.slots() if slot.path[-1] in names}
    edits, wanted = [], []
    for name, (old, value) in zip(names, pairs):
        assert slots[name].node.value == "old", (name, old)
        try:
            tree.splice(slots[name].node, value)
        except ct.FieldError:
            assert any(ord(c) < 32 or c in "\x7f\u2028" for c in value), value  # a form without escapes for it
            wanted.append("old")
            continue
        edits.append((slots[name].node, value))
        wanted.append(value)
    path.write_bytes(tree.source.spliced(tree.splices(edits)))
    assert run(path) == wanted
    again = {slot.path[-1]: slot.node.value for slot in open_tree(path, language).slots()}
    assert [again[name] for name in names] == wanted


@pytest.mark.parametrize("language", LANGUAGES)
def test_what_its_own_reader_reads_is_read(language, tmp_path):
    """Escapes in each kind of quotes: read as the language does, or not at all."""
    name, before, line, after, show, run, olds = LANGUAGES[language]
    if shutil.which(NEEDED.get(language, language)) is None:
        pytest.skip(f"{language} is not installed")
    bodies = [body for body in READ if language != "bash" or "'" not in body]
    literals = [old.replace("old", body) for old in olds for body in bodies if old[-1] not in body.replace("\\" + old[-1], "") and old.endswith(("'", '"', "`")) and not (old[0] == "@" and '"' in body)]
    names = [f"v{number}" for number in range(len(literals))]
    path = tmp_path / name
    found = {}
    path.write_text(before + "".join(filled(line, name, one) for name, one in zip(names, literals)) + after, encoding="utf-8")
    for slot in open_tree(path, language).slots():
        found[slot.path[-1]] = slot.node.value
    known = [(name, one) for name, one in zip(names, literals) if found.get(name) is not None]
    assert len(known) * 2 > len(literals)
    path.write_text(before + "".join(filled(line, name, one) + filled(show, name) for name, one in known) + after, encoding="utf-8")
    assert dict(zip([one for _, one in known], run(path))) == {one: found[name] for name, one in known}
