"""The shapes of the documents that ``--json`` prints, one class each: scripts/schemas makes docs/schemas of them.

Keys may be added to a document within its version; none is renamed or removed. Times are seconds, shares from 0 to 1,
spans characters from 0, their ends exclusive.
"""

from __future__ import annotations

from typing import Any, Literal, NotRequired

from typing_extensions import TypedDict

Severity = Literal["note", "warning", "error"]
State = Literal["absent", "literal", "placeholder", "locator"]


class HostShape(TypedDict):
    """One server."""

    address: str | None
    port: int | None
    """Null where the text states none, and for a socket."""
    instance: str | None


class PasswordShape(TypedDict):
    """What is known of the password."""

    state: State
    value: NotRequired[str]
    """Under --unmask only."""
    locator: NotRequired[str]


class LogInShape(TypedDict):
    """How one logs in: the method that is stated, or that the credentials imply."""

    method: str
    realm: str | None


class TlsShape(TypedDict):
    """How the transport is protected; the level is null where nothing is stated."""

    level: Literal["off", "opportunistic", "encrypted", "verify-chain", "verify-identity"] | None
    ca: str | None
    certificate: str | None
    key: str | None
    key_password: str | None


class DiscoveryShape(TypedDict):
    """What has to be looked up before there is a host."""

    kind: str
    name: str | None


class PartShape(TypedDict):
    """A part of the text, by its span."""

    role: str
    start: int
    end: int
    name: NotRequired[str]


class FixShape(TypedDict):
    """An edit of a file that removes a finding: what is put in the place between two places."""

    line: int
    column: int
    end_line: int
    end_column: int
    text: str


class FindingShape(TypedDict):
    """What is wrong or risky, where, and what to do."""

    rule: str
    severity: Severity
    message: str
    start: int | None
    end: int | None
    hint: str
    source: NotRequired[str | None]
    """A file, a cord, a variable, or "argument 2"."""
    line: NotRequired[int]
    column: NotRequired[int]
    accepted: NotRequired[str]
    """Why it may stay."""
    fix: NotRequired[FixShape]


class ResolvedShape(TypedDict):
    """What a name led to, under --resolve."""

    hosts: list[HostShape]
    database: str | None
    steps: list[str]


class Reading(TypedDict):
    """read --json: a text taken apart."""

    schema: Literal["cordtally/reading/1"]
    engine: str
    driver: str
    notation: str
    hosts: list[HostShape]
    database: str | None
    user: str | None
    password: PasswordShape
    authentication: LogInShape
    tls: TlsShape
    discovery: DiscoveryShape
    options: dict[str, str | int | float | bool | None]
    """Canonical names; durations in seconds or "unlimited", sizes in bytes."""
    native: dict[str, str | int | float | bool | None]
    """What has no canonical name, in the driver's own words."""
    parts: list[PartShape]
    findings: list[FindingShape]
    effective: NotRequired[Literal[True]]
    resolved: NotRequired[ResolvedShape]
    place: NotRequired[PlaceShape]


Outcome = Literal["kept", "renamed", "rescaled", "reworded", "implied", "approximated", "dropped", "added"]
LedgerShape = TypedDict(
    "LedgerShape",
    {"part": str, "from": str | None, "to": str | None, "outcome": Outcome, "reason": str | None},
)


class PlaceShape(TypedDict):
    """A managed service, a balancer or a pooler that is known by its hosts' names."""

    id: str
    title: str
    engines: list[str]
    port: int | None
    demands_tls: bool
    tls: str | None
    log_in: list[str]
    token: str | None


class Writing(TypedDict):
    """convert --json, compose --json: a text, or arguments, and what became of each part."""

    schema: Literal["cordtally/writing/1"]
    target: str
    text: NotRequired[str]
    arguments: NotRequired[dict[str, Any]]
    ledger: list[LedgerShape]
    filled_in: NotRequired[list[str]]


class Findings(TypedDict):
    """vet --json: what is wrong or risky, of all that was named."""

    schema: Literal["cordtally/findings/1"]
    findings: list[FindingShape]
    accepted: NotRequired[list[FindingShape]]
    """Of files and folders: what stays for a reason."""
    files: NotRequired[int]
    not_read: NotRequired[list[str]]


class RuleShape(TypedDict):
    """A rule of vetting."""

    id: str
    family: str
    severity: Severity
    grade: Literal["fixed", "strict", "by-place"]
    """Whether the severity follows from where the connection leads."""
    title: str
    why: str
    about: str
    bad: list[str]
    """Examples that it reports."""
    good: list[str]


class Rules(TypedDict):
    """vet --rules --json, vet --explain RULE --json."""

    schema: Literal["cordtally/rules/1"]
    rules: list[RuleShape]


class ErrorShape(TypedDict):
    """What failed; the offset counts characters of the text."""

    kind: str
    message: str
    offset: int | None
    path: NotRequired[str]
    """The file that it is about, and its line."""
    line: NotRequired[int]
    nearest: NotRequired[list[str]]
    """Names that are there, and near to what was given."""
    candidates: NotRequired[list[str]]
    """Of a text that several drivers would read: which ones."""


class Error(TypedDict):
    """Any command that fails under --json."""

    schema: Literal["cordtally/error/1"]
    error: ErrorShape


class DifferenceShape(TypedDict):
    """One part in which two connections differ."""

    question: str
    part: str
    left: str
    right: str
    remark: str | None


class Comparison(TypedDict):
    """compare --json; null where it cannot be told."""

    schema: Literal["cordtally/comparison/1"]
    same_place: bool | None
    same_server: bool | None
    same_database: bool | None
    same_user: bool | None
    same_security: bool | None
    differences: list[DifferenceShape]


class RungShape(TypedDict):
    """One rung of a dial."""

    name: str
    outcome: str
    detail: str
    seconds: float | None
    in_clear: bool
    more: NotRequired[list[str]]
    """Further detail, a line each."""


class AnswerShape(TypedDict):
    """What a server says of itself and of whom it sees; null where it does not tell."""

    product: str
    version: str
    user: str | None
    database: str | None
    schemas: str | None
    encrypted: str | None
    """TLS as the server sees it: version and cipher, empty where there is none."""
    role: Literal["primary", "standby"] | None
    reads_only: bool | None
    rights: list[str]
    clock: float | None
    """The server's time less this machine's, in seconds."""
    opened: int | None
    limit: int | None
    reserve: int | None
    idle_timeout: float | None
    statement_timeout: float | None
    through: str | None
    place: str | None
    more: str


class RoundTripShape(TypedDict):
    """How long a question takes, in seconds."""

    median: float
    p99: float


class Dial(TypedDict):
    """dial --json of one connection."""

    schema: Literal["cordtally/dial/1"]
    target: str
    engine: str
    driver: str
    held: bool
    broke_at: str | None
    cause: str | None
    cause_id: NotRequired[str | None]
    """The cause's name in the catalog, as dial --explain takes it."""
    hint: str | None
    code: NotRequired[str | None]
    """The server's own code for the cause, where its driver hands it on: an SQLSTATE, or MySQL's error."""
    seconds: NotRequired[float]
    rungs: list[RungShape]
    verified: NotRequired[Literal["", "chain", "host"] | None]
    """How far the server was verified; null where the connection is not encrypted."""
    answer: NotRequired[AnswerShape | None]
    round_trip_seconds: NotRequired[RoundTripShape | None]
    notes: NotRequired[list[str]]


class CauseShape(TypedDict):
    """Why a dial breaks; an … in the title stands for a name."""

    id: str
    rung: str
    title: str
    means: str
    reasons: list[str]
    do: str
    on: dict[str, str]
    """What to do on an engine."""
    not_told_apart: str | None
    codes: list[str]


class Causes(TypedDict):
    """dial --causes --json, and dial --explain CAUSE --json."""

    schema: Literal["cordtally/causes/1"]
    causes: list[CauseShape]


class StatementShape(TypedDict):
    """A statement; inside says that it runs while connected to the database."""

    text: str
    inside: bool


class Grants(TypedDict):
    """grants --json."""

    schema: Literal["cordtally/grants/1"]
    engine: str
    user: str
    database: str
    access: Literal["read-only", "read-write", "owner"]
    statements: list[StatementShape]


class Dials(TypedDict):
    """dial --json of several, in the order in which they were named."""

    schema: Literal["cordtally/dials/1"]
    dials: list[Dial]


class SkippedShape(TypedDict):
    """How many files were not searched, and why."""

    binary: int
    too_large: int
    unreadable: int


class HitShape(TypedDict):
    """One find in a file; lines and columns count from 1, and the end is the place behind the last character."""

    path: str
    line: int
    column: int
    end_line: int
    end_column: int
    kind: Literal["cord", "pair", "reference", "accept"]
    """A whole text, the secret of a name, a look-up in the environment, or an accept that is reported."""
    rule: str
    severity: Severity
    confidence: Literal["certain", "likely", "possible"]
    reason: str
    """Why it is of that severity."""
    engine: str | None
    driver: str | None
    environment: str | None
    name: str | None
    """What the secret is the value of, or the variable that is looked up."""
    masked: str
    accepted: str | None
    """Why it may stay, where that is said beside the line or in the tally."""


class Sweep(TypedDict):
    """sweep --json."""

    schema: Literal["cordtally/sweep/1"]
    root: str
    files: int
    skipped: SkippedShape
    not_read: list[str]
    """The files that were too large, and the files and folders that could not be read."""
    hits: list[HitShape]
    accepted: list[HitShape]


class CommitShape(TypedDict):
    """One commit: its name, its day (ISO 8601), and who wrote it."""

    name: str
    day: str
    author: str


class PastShape(HitShape):
    """One secret of a history: where it was seen first, and the commits that brought it and took it away."""

    came: CommitShape
    went: CommitShape | None
    stands: Literal["here", "elsewhere", "nowhere"]
    paths: list[str]


class History(TypedDict):
    """sweep --history --json."""

    schema: Literal["cordtally/history/1"]
    root: str
    commits: int
    contents: int
    """How many were searched."""
    too_large: int
    secrets: list[PastShape]


class MovedShape(TypedDict):
    """A secret that moves, and the variable that it is kept in."""

    path: str
    line: int
    name: str


class RefusedShape(TypedDict):
    """A secret that stays, and why."""

    path: str
    line: int
    reason: str


class LiftShape(TypedDict):
    """lift --json."""

    schema: Literal["cordtally/lift/1"]
    folder: str
    kept_in: str
    """The variables file, or the folder of files."""
    in_files: bool
    """Whether each secret has a file of its own."""
    locators: dict[str, str]
    """By name, where another store keeps them."""
    tracked: bool
    """Whether git tracks what the secrets are kept in."""
    names: list[str]
    moved: list[MovedShape]
    refused: list[RefusedShape]
    files: list[str]
    diff: list[str]
    undo: str | None
    """The file that undoes it, once it is applied."""


class SecretShape(TypedDict):
    """secret get, put, copy, drop, vouch and make --json."""

    schema: Literal["cordtally/secret/1"]
    done: Literal["got", "put", "copied", "dropped", "vouched", "withdrawn", "made"]
    locator: str | None
    secret: str | None
    """Masked, unless it was asked for in clear or drawn."""
    bits: float | None
    """The entropy of one that was drawn."""


class RotationShape(TypedDict):
    """secret rotate --json."""

    schema: Literal["cordtally/rotation/1"]
    cord: str
    engine: str
    mode: Literal["plain", "grace", "alternate"]
    user: str
    to: str
    """The user whose password is the new one: another one where two take turns."""
    kept_at: str
    state: Literal["planned", "rotated", "grace", "finished"]
    steps: list[str]
    until: float | None
    """Until when the old password lives at least, in seconds since 1970."""
    resumed: bool
    """Whether it was begun before."""


class LockShape(TypedDict):
    """What one key opens a chest by."""

    name: str
    kind: Literal["passphrase", "key"]


class ChestShape(TypedDict):
    """chest create, verify, rekey and export --json: what was done, and what each of them tells."""

    schema: Literal["cordtally/chest/1"]
    done: Literal["created", "verified", "added", "renewed", "exported"]
    path: str
    key_file: NotRequired[str | None]
    """Of one that was created: where its key was written; null where a passphrase opens it."""
    id: NotRequired[str]
    generation: NotRequired[int]
    locks: NotRequired[list[LockShape] | list[str]]
    """Of one that was verified; after a change the names of those that were added or renewed."""
    gone: NotRequired[list[str]]
    """Locks that open it no longer."""
    entries: NotRequired[int]
    previous: NotRequired[int | None]
    """The generation that lies beside it."""
    secrets: NotRequired[dict[str, str]]
    """The entries, masked without --unmask."""


class SecretRow(TypedDict):
    """A secret by its locator; seconds since 1970."""

    locator: str
    cords: list[str]
    known: bool
    where: str | None
    changed: float | None
    expires: float | None
    others_may_read: bool | None
    problem: str | None


class SecretsShape(TypedDict):
    """secret check and secret list --json."""

    schema: Literal["cordtally/secrets/1"]
    secrets: list[SecretRow]


class ConnectionRow(TypedDict):
    """One connection of one service; equal ones are one row with several places."""

    service: str
    environment: str | None
    engine: str | None
    server: str
    database: str
    user: str
    secret: str
    """Where the password is: in the file, from a variable, a placeholder, or none."""
    tls: str | None
    variables: list[str]
    pool: str | None
    places: list[str]


class SlipShape(TypedDict):
    """A name that is looked up and not given, or given and not looked up; and the name that was meant."""

    kind: Literal["not given", "not used"]
    name: str
    path: str
    line: int
    nearest: str | None
    what: Literal["variable", "resource", "connection string"]


class Inventory(TypedDict):
    """sweep --inventory --json."""

    schema: Literal["cordtally/inventory/1"]
    root: str
    connections: list[ConnectionRow]
    slips: list[SlipShape]


class CordRow(TypedDict):
    """One cord in the list of a tally; under --all, one for each environment that says something of it."""

    cord: str
    environment: str | None
    engine: str
    place: str | None
    """The hosts, with ", " between them."""
    database: str | None
    user: str | None
    tls: str | None
    password: str | None
    """Where it is kept."""


class Tally(TypedDict):
    """show --json without a name."""

    schema: Literal["cordtally/tally/1"]
    cords: list[CordRow]


class TallyEditShape(TypedDict):
    """tally add, set, rename and drop --json."""

    schema: Literal["cordtally/tally-edit/1"]
    written: bool
    files: list[str]
    """Those that change."""
    diff: list[str]
    kept: list[str]
    """Where a password goes that came with a text."""


class InitShape(TypedDict):
    """init --json: the tally that is made."""

    schema: Literal["cordtally/init/1"]
    path: str
    written: bool
    text: str
    cords: list[str]
    kept: dict[str, str]
    """By cord, where its password goes."""
    to_bring: dict[str, str]
    """By cord, where its password is looked for, and nobody keeps it yet."""
    remarks: list[str]
    """What was not taken, and why."""


class LostShape(TypedDict):
    """A value that does not count; its field is named where that is another one, as hosts is to host."""

    value: str
    layer: str
    field: str


class FieldShape(TypedDict):
    """One field of a cord, and where its value comes from."""

    field: str
    value: str
    layer: str
    lost: list[LostShape]
    """What a higher layer replaces, the highest first."""


class Cord(TypedDict):
    """show --json of one cord."""

    schema: Literal["cordtally/cord/1"]
    cord: str
    environment: str | None
    fields: list[FieldShape]
    surprises: list[str]
    """What wins over a file from outside it, in words."""
    target: str
    text: str


class Emission(TypedDict):
    """emit --json: a framework's block; the secret says where it is put."""

    schema: Literal["cordtally/emission/1"]
    layout: str
    file: str
    text: str
    packages: list[str]
    secret: str | None
    beside: dict[str, str]
    remark: str | None
    ledger: list[LedgerShape]


class SlotShape(TypedDict):
    """Where a part of a connection stands in a file."""

    key: str
    line: int
    column: int


class LosingShape(TypedDict):
    """A place that does not count: its role, and what counts instead (a line, a variable, the text)."""

    role: str
    winner: str
    key: str
    line: int
    column: int


class DeclaredPool(TypedDict):
    """The pool settings beside a connection, as the file has them."""

    library: str
    settings: dict[str, str]


class DeclaredShape(TypedDict):
    """A connection that a file declares; null is what the file does not tell."""

    name: str
    environment: str | None
    layout: str
    file: str
    engine: str | None
    place: str | None
    database: str | None
    user: str | None
    secret: str
    tls: str | None
    driver: str | None
    from_variables: dict[str, str]
    overridden: dict[str, str]
    pool: DeclaredPool | None
    problem: str | None
    slots: dict[str, SlotShape]
    losing: list[LosingShape]


class MissingName(TypedDict):
    """A name that is looked up and that nothing gives, with what was meant."""

    name: str
    path: str
    line: int
    kind: str
    nearest: str | None


class Declared(TypedDict):
    """show FILE… --json."""

    schema: Literal["cordtally/declared/1"]
    connections: list[DeclaredShape]
    missing: list[MissingName]


class DriverRow(TypedDict):
    """One driver in the list."""

    id: str
    title: str
    language: str
    engines: list[str]
    notations: list[str]
    family: NotRequired[str]


class Drivers(TypedDict):
    """drivers --json."""

    schema: Literal["cordtally/drivers/1"]
    drivers: list[DriverRow]


class OptionShape(TypedDict):
    """One option of a driver; the unit is what a bare number counts, zero what 0 means."""

    name: str
    aliases: list[str]
    canonical: str | None
    type: str
    unit: str | None
    default: str | int | float | bool | None
    zero: str | None
    meaning: str | None


class OptionOfDriver(OptionShape):
    """One option, and whose it is."""

    driver: str


class Option(TypedDict):
    """drivers --option NAME --json: one option in every driver."""

    schema: Literal["cordtally/option/1"]
    option: str
    meaning: str
    drivers: list[OptionOfDriver]


class LevelShape(TypedDict):
    """How a driver says a TLS level: options with these words, or the mere presence of others."""

    level: str
    set: dict[str, str]
    given: list[str]


class MethodShape(TypedDict):
    """How a driver says a method of logging in."""

    method: str
    set: dict[str, str]


class Driver(TypedDict):
    """drivers ID --json."""

    schema: Literal["cordtally/driver/1"]
    id: str
    title: str
    language: str
    engines: list[str]
    symbol: str
    packages: dict[str, str]
    source: str
    checked: bool
    notations: list[str]
    tls: list[LevelShape]
    log_in: list[MethodShape]
    options: list[OptionShape]


class PageRow(TypedDict):
    """One page of the manual."""

    page: str
    title: str


class Pages(TypedDict):
    """docs --json."""

    schema: Literal["cordtally/pages/1"]
    pages: list[PageRow]


class Page(PageRow):
    """docs PAGE --json."""

    schema: Literal["cordtally/page/1"]
    markdown: str
