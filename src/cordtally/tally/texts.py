"""Reads the text that a cord of a tally starts from: the fields it states. A file's text holds no secret."""

from __future__ import annotations

from ..composing import spread
from ..errors import CordTallyError, FieldError
from ..exchange import Reading, read
from ..model import Locator, Secret
from ..model.placeholders import is_placeholder, variable_in
from .layers import TextFields


def read_text(text: str, driver: str | None, *, may_hold_secret: bool) -> TextFields:
    """Read a text, as the driver does where it can, and spread it out.

    A password that only stands for another one becomes the locator of its variable, or is left out.

    Raises
    ------
    TextError, AmbiguousText
        When it cannot be read.
    FieldError
        When it holds a secret and may not.
    """
    reading = _read(text, driver)
    if not may_hold_secret and _holds_secret(reading):
        raise FieldError(
            "a tally holds no secrets, and this text has one: take it out, and say where it is kept: "
            'password = "env:NAME" or another locator'
        )
    cord = reading.cord
    if isinstance(cord.password, Secret) and _stands_for(cord.password.unmask()):
        variable = variable_in(cord.password.unmask())
        cord = cord.copy_with(password=None if variable is None else Locator("env", variable))
    fields, rest = spread(cord)
    if driver is None:
        fields["driver"] = reading.driver
    return TextFields(fields, rest, reading.text)


def _read(text: str, driver: str | None) -> Reading:
    if driver is not None:
        try:
            return read(text, driver=driver)
        except CordTallyError:  # the driver that it is written for need not be the one it is written in
            pass
    return read(text)


def _holds_secret(reading: Reading) -> bool:
    text = reading.text.unmask()
    return any(not _stands_for(text[start:end]) for start, end in reading.secret_spans)


def _stands_for(text: str) -> bool:
    return variable_in(text) is not None or is_placeholder(text)
