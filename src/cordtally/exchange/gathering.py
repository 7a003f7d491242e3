"""What reading finds before it makes a cord: parts with their places, rows of options, and what has been gathered."""

from __future__ import annotations

from typing import NamedTuple

from ..catalog import Option
from ..model import Cord, OptionValue, Words
from ..notation import Field, Remark


class Part(NamedTuple):
    """Where a part stands in the text: its role, the driver's name for it (options), and the bounds of its value."""

    role: str
    name: str | None
    start: int
    end: int
    secret: bool
    whole: int


class OptionRow(NamedTuple):
    """One option as it stands in the text: name as written, its catalog facts, raw value and typed value.

    The raw value is empty where the option is secret, and masked where it contains one.
    """

    name: str
    option: Option | None
    raw: Words
    value: OptionValue | None


class Interpretation(NamedTuple):
    """What the parts mean; ``secret_spans`` bound what must not be shown."""

    cord: Cord
    parts: tuple[Part, ...]
    rows: tuple[OptionRow, ...]
    remarks: tuple[Remark, ...]
    secret_spans: list[tuple[int, int]]


class FoundHost:
    """A host while its port may still be found elsewhere; ``field`` is where it stands, None where it is implied."""

    __slots__ = ("address", "field", "instance", "port")

    def __init__(self, address: str, field: Field | None, port: int | None = None, instance: str | None = None) -> None:
        self.address, self.field, self.port, self.instance = address, field, port, instance


class Gathered:
    """What has been found so far while the fields of a text are walked.

    ``roles`` maps roles (user, database, …) to texts; ``tls`` and ``auth`` map the driver's own option names to its
    words for the two tables of states, ``files`` the certificate parts to paths, and ``given`` names the options that
    those tables may ask for by their mere presence; ``ports`` are ports that stand apart from their hosts; ``carried``
    is the cord of a whole text inside an option, ``login`` a method that a nested text states, ``socket`` says that an
    option has named one, beside which hosts do not count.
    """

    __slots__ = (
        "auth", "carried", "files", "given", "hosts", "login", "native", "options",
        "parts", "ports", "remarks", "roles", "rows", "socket", "tls",
    )  # fmt: skip

    def __init__(self) -> None:
        self.roles: dict[str, str] = {}
        self.hosts: list[FoundHost] = []
        self.tls: dict[str, str] = {}
        self.auth: dict[str, str] = {}
        self.given: set[str] = set()
        self.options: dict[str, OptionValue] = {}
        self.native: dict[str, OptionValue] = {}
        self.parts: list[Part] = []
        self.rows: list[OptionRow] = []
        self.remarks: list[Remark] = []
        self.files: dict[str, str] = {}
        self.ports: list[int | None] | None = None
        self.carried: Cord | None = None
        self.login: str | None = None
        self.socket = False
