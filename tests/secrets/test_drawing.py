"""Drawn passwords: as they are in every notation, config format and shell, and drawn evenly."""

import collections
import shlex

import pytest

import cordtally as ct
from cordtally.lines import DIALECTS, encode_value
from cordtally.secrets.drawing import ALPHABET, FIRST, draw, entropy


def test_no_notation_format_or_shell_escapes_one():
    """Each character of the alphabet stands in it, in texts of all drivers that have a place for a password."""
    password = FIRST[-1] + ALPHABET
    written = 0
    for driver in ct.drivers():
        for engine in driver.engines:
            try:
                text = ct.compose(engine=engine, host="h", database="d", user="u").copy_with(password=ct.Secret(password))
                writing = ct.write(text, driver.id)
            except ct.CordTallyError:
                continue
            line = writing.ledger.line("password")
            if not hasattr(writing.text, "unmask") or line is None or line.outcome is ct.Outcome.DROPPED:
                continue
            written += 1
            assert password in writing.text.unmask(), (driver.id, engine)
    assert written > 80
    assert all(encode_value(password, "plain", dialect).strip("'\"") == password for dialect in DIALECTS.values())
    assert shlex.quote(password) == password


def test_they_are_drawn_evenly_and_from_a_letter_on():
    drawn = [draw(64).unmask() for _ in range(2_000)]
    assert {len(one) for one in drawn} == {64}
    assert all(one[0] in FIRST for one in drawn)
    seen = collections.Counter("".join(one[1:] for one in drawn))
    expected = 2_000 * 63 / len(ALPHABET)
    chi = sum((seen[one] - expected) ** 2 / expected for one in ALPHABET)
    assert chi < 150  # 61 degrees of freedom: beyond it once in 10^9
    assert len(set(drawn)) == 2_000
    assert (round(entropy(24), 1), round(entropy(8), 1)) == (142.6, 47.4)
    for length in (7, 513):
        with pytest.raises(ct.FieldError, match="8 to 512"):
            draw(length)
