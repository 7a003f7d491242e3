"""Secrets stay hidden, durations and sizes are read strictly, hosts show themselves safely."""

import copy
import dataclasses
import json
import logging
import pickle
import traceback

import pytest
from hypothesis import given
from hypothesis import strategies as st

import cordtally as ct
from cordtally.model import (
    MASK,
    ByteSize,
    Cord,
    Duration,
    Host,
    MaskedText,
    Secret,
)
from cordtally.text import mask_spans, masked_position

PLANTED = "not-a-real-pw-planted"


def ways_to_show(value):
    """Everything that prints a value without being asked for its secret."""
    yield from (str(value), repr(value), f"{value}", f"{value!r:>40}", f"{value}", f"{[value]}", f"{ {'k': value} }")
    if not isinstance(value, dict):  # arguments for a driver are meant in clear, and JSON is no accident
        yield json.dumps(value, default=str)
    yield str(copy.deepcopy(value)) + repr(copy.copy(value))
    record = logging.LogRecord("x", logging.INFO, "f", 1, "connecting with %s", (value,), None)
    yield record.getMessage()
    try:
        raise ValueError(value)  # noqa: TRY301 -- to see what a traceback shows
    except ValueError:
        yield traceback.format_exc()


CORD = Cord("postgresql", (Host("h"),), password=Secret(PLANTED), tls=ct.Tls(key_password=Secret(PLANTED)))
HOLDERS = [
    Secret(PLANTED),
    MaskedText(f"postgresql://u:{PLANTED}@h/d", "postgresql://u:***@h/d"),
    CORD,
    ct.read(f"postgresql://u:{PLANTED}@h/d?sslpassword={PLANTED}&my_token={PLANTED}"),
    ct.convert(f"postgresql://u:{PLANTED}@h/d?sslpassword={PLANTED}", to="psycopg/arguments"),
    ct.convert(f"postgresql://u:{PLANTED}@h/d", to="psqlodbc"),
    CORD.arguments("psycopg"),
    ct.read(f"postgresql://u:ab@{PLANTED}@h/d"),
    Host(f"{PLANTED}@h"),
]


@pytest.mark.parametrize("holder", HOLDERS, ids=lambda h: type(h).__name__)
def test_no_way_of_showing_unmasks(holder):
    for shown in ways_to_show(holder):
        assert PLANTED not in shown
    if dataclasses.is_dataclass(holder) and "@" not in repr(holder):
        assert PLANTED not in repr(dataclasses.asdict(holder))
    if hasattr(holder, "to_dict"):
        assert PLANTED not in json.dumps(holder.to_dict())
        assert PLANTED not in holder._repr_html_()


def test_a_secret_unmasks_on_request_only():
    secret = Secret(PLANTED)
    assert secret.unmask() == PLANTED
    assert (secret == Secret(PLANTED), secret == Secret("x"), secret == PLANTED) == (True, False, False)
    assert len({secret, Secret(PLANTED)}) == 1
    assert Secret("\ud800") != secret
    with pytest.raises(TypeError, match="cannot be pickled"):
        pickle.dumps(secret)


@pytest.mark.parametrize(
    ("text", "nanoseconds", "shown"),
    [
        ("5s", 5 * 10**9, "5 s"),
        ("250ms", 250 * 10**6, "250 ms"),
        ("1.5h", 5400 * 10**9, "1.5 h"),
        ("1m30s", 90 * 10**9, "1.5 min"),
        ("2 min", 120 * 10**9, "2 min"),
        ("10us", 10_000, "10 us"),
        ("0s", 0, "0 s"),
        ("unlimited", None, "unlimited"),
    ],
)
def test_durations(text, nanoseconds, shown):
    assert (Duration.parse(text).nanoseconds, str(Duration.parse(text))) == (nanoseconds, shown)


@pytest.mark.parametrize("text", ["", "5", "s", "5 weeks", "-5s", "5s!", "1e3s", "٥s", "5s 5", "9" * 30 + "s"])
def test_what_is_no_duration(text):
    with pytest.raises(ct.FieldError, match="is not a duration"):
        Duration.parse(text)


@given(st.integers(0, 10**18))
def test_a_shown_duration_is_within_a_thousandth(nanoseconds):
    again = Duration.parse(str(Duration(nanoseconds))).nanoseconds
    assert abs(again - nanoseconds) <= nanoseconds / 1000


def test_sizes_and_rough_times():
    assert [ByteSize.parse(t).bytes for t in ("4096", "64KiB", "16MB", "1 GiB")] == [4096, 65536, 16_000_000, 2**30]
    assert [str(ByteSize(n)) for n in (2**30, 65536, 1000)] == ["1 GiB", "64 KiB", "1000 B"]
    assert [Duration.of(n).rough() for n in (5, 90, 5000, 200_000)] == ["5 s", "about 1.5 min", "about 1.4 h", "about 2.3 d"]
    with pytest.raises(ct.FieldError):
        ByteSize.parse("4 parrots")


def test_levels_are_ordered_and_locators_have_schemes():
    levels = list(ct.TlsLevel)
    assert sorted(levels, key=lambda level: level.rank) == levels
    assert ct.TlsLevel.OFF < ct.TlsLevel.VERIFY_IDENTITY
    assert str(ct.parse_locator("env:TIDES_PASSWORD")) == "env:TIDES_PASSWORD"
    with pytest.raises(ct.FieldError) as caught:
        ct.parse_locator(PLANTED.replace("-", ""))
    assert PLANTED.replace("-", "") not in str(caught.value)


@given(st.text(max_size=30), st.lists(st.tuples(st.integers(0, 30), st.integers(0, 30)), max_size=4))
def test_masking_by_span_hides_exactly_the_spans(text, pairs):
    spans, end = [], 0
    for start, stop in sorted((min(p), max(p)) for p in pairs):
        if end <= start < stop <= len(text):
            spans.append((start, stop))
            end = stop
    masked = mask_spans(text, spans)
    kept = "".join(c for i, c in enumerate(text) if not any(a <= i < b for a, b in spans))
    assert len(masked) == len(kept) + len(MASK) * len(spans)
    outside = [i for i in range(len(text)) if not any(a <= i < b for a, b in spans)]
    assert all(masked[masked_position(i, spans)] == text[i] for i in outside)


def test_text_errors_survive_pickling():
    with pytest.raises(ct.TextError) as caught:
        ct.read("postgresql://tide_gauge:x@h:no/d")
    again = pickle.loads(pickle.dumps(caught.value))
    assert (str(again), again.span) == (str(caught.value), caught.value.span)
    for error in (ct.UnknownName("driver", "x", nearest=["y"]), ct.MissingExtra("a", "b", "c")):
        assert str(pickle.loads(pickle.dumps(error))) == str(error)
