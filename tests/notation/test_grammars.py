"""Laws of the grammars: pieces cover the text, fuzzing finds no foreign exception, and reading is linear."""

import importlib
import inspect
import pkgutil
import sys
from re import _constants as sre
from re import _parser as sre_parser
from typing import get_args, get_type_hints

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

import cordtally as ct
from cordtally.catalog import NotationFacts
from cordtally.exchange import load_target
from cordtally.notation import GRAMMARS, NO, SURELY, BaseDialect, Grammar, GrammarError, load_grammar, url
from cordtally.text import doubtful_spans

from ..strategies import TARGETS

PREFIXES = {t: next((p for listed in load_target(t).facts.schemes.values() for p in listed), "") for t in TARGETS}
SCRAPS = st.lists(
    st.sampled_from([*"@:/?#&=;,'\"{}[]()\\% +", "a", "pw", "host", "password=", "%41", "%zz", "tcp(", "==", "''", "}}", "é", "😀", "\x00"])
    | st.text(max_size=3),
    max_size=14,
).map("".join)


@pytest.mark.parametrize("target", TARGETS)
@settings(max_examples=150)
@given(rest=SCRAPS)
@example(rest="[\\@]")
def test_pieces_give_the_text_back(target, rest):
    """render(parse(text)) is the text, for every text that is accepted; anything else is a GrammarError with a place."""
    loaded = load_target(target)
    text = PREFIXES[target] + rest
    try:
        parsed = loaded.grammar.parse(text, loaded.dialect, PREFIXES[target])
    except GrammarError as error:
        assert 0 <= error.start <= len(text) + 1
        assert error.start <= error.end
        return
    assert "".join(parsed.pieces()) == text
    for remark in parsed.remarks:
        assert 0 <= remark.start <= remark.end <= len(text)


NEARLY_TAME = st.tuples(
    st.sampled_from(["", "keeper@", "k%40r:p%2F~-@", "k:@", ":p@", "k+:p@", "k:p%4@", "k:p%00@", "é:p@", "k:p/q@"]),
    st.sampled_from(["", "h", "g-1.greywick.example", "h,g", "[::1]", "h%41"]),
    st.sampled_from(["", "", ":5432", ":60000", ":70000", ":0", ":05"]),
    st.sampled_from(["", "/", "/tides", "/a_b-9", "/a.b", "/.", "/a/b", "/a%41", "/é"]),
    st.sampled_from(["", "?", "?a=b", "?a=%41&b=/x:y,z", "?ssl=true&a=b", "?a=b&a=c", "?a=", "?a=b=c", "?a", "?a=b;c=d", "?a=1+1", "?a=b&&c=d"]),
    st.sampled_from(["", "", "", "#f", "&", " "]),
).map("".join)
BY_FLAGS = {repr(d): d for d in (load_target(t).dialect for t in TARGETS) if getattr(d, "tame", False)}


@pytest.mark.parametrize("dialect", [*BY_FLAGS.values(), url.Dialect(escaping="none"), url.Dialect(path={"slash": "required"})])
@settings(max_examples=300)
@given(rest=NEARLY_TAME)
def test_the_short_way_through_a_url_gives_what_the_full_grammar_gives(dialect, rest):
    text = "sea://" + rest
    try:
        full = url.parse_in_full(text, dialect, "sea://")
    except GrammarError as error:
        full = error.problem
    try:
        assert url.parse(text, dialect, "sea://") == full
    except GrammarError as error:
        assert error.problem == full


@settings(max_examples=400)
@given(text=SCRAPS, target=st.none() | st.sampled_from(TARGETS))
def test_reading_raises_only_its_own_errors_and_vets_what_it_reads(text, target):
    try:
        reading = ct.read((PREFIXES[target] if target else "") + text, driver=target)
    except ct.TextError as error:
        assert str(error)
        return
    assert reading.to_dict()
    assert all(found.message and found.hint for found in ct.vet(reading))
    assert str(reading.text).count("***") >= (reading.password_state == "literal" and bool(reading.text))


@given(SCRAPS)
def test_doubtful_spans_cover_what_stands_between_colon_and_at(text):
    secret = "hunter2"
    whole = f"postgresql://u:{secret}{text}@h/d"
    spans = doubtful_spans(whole)
    start = whole.index(secret)
    assert any(a <= start and start + len(secret) <= b for a, b in spans)


def steps_of(text, driver):
    """Count the lines of our code that run while a text is read: a measure of work that no clock disturbs."""
    count = 0

    def trace(frame, event, arg):
        nonlocal count
        if "cordtally" not in frame.f_code.co_filename:
            return None
        count += 1
        return trace

    sys.settrace(trace)
    try:
        ct.read(text, driver=driver)
    except ct.TextError:
        pass
    finally:
        sys.settrace(None)
    return count


HOSTILE = [
    ("postgresql://h/d?{}", "a=b&", None),
    ("postgresql://h/d?{}", "%41", None),
    ("postgresql://{}@h/d", "u:", None),
    ("postgresql://{}", "h:1,", None),
    ("host=h {}", "a='b' ", None),
    ("host=h password='{}", "\\'", None),
    ("Host=h;{}", "a=b;", "npgsql"),
    ("Host=h;Password=\"{}", '""', "npgsql"),
    ("DRIVER={{x}};PWD={{{}", "}}", "psqlodbc"),
    ("{}@tcp(h)/d", "@(/", "go-mysql"),
    ("u:p@tcp(h)/d?{}", "a=b&", "go-mysql"),
    ("jdbc:mariadb://h/d?{}", "&=", None),
    ("jdbc:mariadb://{}", "(a=b,", None),
    ("(DESCRIPTION={})", "(ADDRESS=(PORT=1)(HOST=h))", "oracle-net"),
    ("{}h:1/s", "h,", "oracle-net"),
    ("dbi:mysql:{}", "[a=b;", None),
    ("pgsql:{}", "a='b;' ", None),
    ("jdbc:sqlserver://h;{}", "a={}};", None),
    ("h:1{}", ",a=b", "redis-dotnet"),
    ("PGHOST=h\n{}", "A='b'\n", "libpq/environment"),
    ("[client]\n{}", "a=\"\\b\"\n", "mysql-client"),
]


@pytest.mark.parametrize(("shape", "unit", "driver"), HOSTILE)
def test_work_is_linear_in_the_length(shape, unit, driver):
    """Twice the length is about twice the work, whatever the text repeats; measured in steps, not in seconds."""
    one = steps_of(shape.format(unit * 2000), driver)
    two = steps_of(shape.format(unit * 4000), driver)
    assert two <= 2.3 * one + 2000


def test_every_grammar_has_the_names_of_the_protocol():
    """Parameters too; and the catalog's word for each grammar is the name of its module."""
    assert set(get_args(get_type_hints(NotationFacts)["grammar"])) == set(GRAMMARS)
    for name in GRAMMARS:
        module = load_grammar(name)
        assert issubclass(module.Dialect, BaseDialect)
        for wanted in ("looks_like", "parse", "render"):
            parameters = list(inspect.signature(getattr(Grammar, wanted)).parameters)[1:]
            assert list(inspect.signature(getattr(module, wanted)).parameters) == parameters, (name, wanted)
        for text in ("", "{", "(", "[x]", "a=b", "h", "postgresql://h/d", "A=1"):
            assert NO <= module.looks_like(text) <= SURELY


def alone(body):
    """Whether one way through an expression is a repeat without end, and nothing else."""
    if len(body) != 1:
        return False
    kind, held = body[0]
    if kind in {sre.MAX_REPEAT, sre.MIN_REPEAT}:
        return held[1] == sre.MAXREPEAT
    return (kind is sre.SUBPATTERN and alone(held[3])) or (kind is sre.BRANCH and any(map(alone, held[1])))


def runs_away(body):
    """Whether a repeat without end stands alone in another: what does not match then takes exponential time."""
    for kind, held in body:
        repeats = kind in {sre.MAX_REPEAT, sre.MIN_REPEAT}
        if repeats and held[1] == sre.MAXREPEAT and alone(held[2]):
            return True
        inner = [held[2]] if repeats or kind is sre.POSSESSIVE_REPEAT else [held[3]] if kind is sre.SUBPATTERN else held[1] if kind is sre.BRANCH else []
        if any(map(runs_away, inner)):
            return True
    return False


def test_no_expression_runs_away():
    expressions = {}
    for found in pkgutil.walk_packages(ct.__path__, "cordtally."):
        if not found.name.endswith("__main__"):
            for name, value in vars(importlib.import_module(found.name)).items():
                for one in value if isinstance(value, list | tuple) else value.values() if isinstance(value, dict) else [value]:
                    if isinstance(source := getattr(one, "pattern", None), str):
                        expressions[found.name, name] = source
    assert len(expressions) > 80
    assert [where for where, source in expressions.items() if runs_away(sre_parser.parse(source))] == []
    assert runs_away(sre_parser.parse("(?:[a-z]+|%..)*"))
