"""The labelled tree in ``tests/data/sweep``: files with what a sweep has to say of them, as ``tests/data/sweep/README.md`` tells."""

import re
from pathlib import Path
from typing import NamedTuple

DATA = Path(__file__).parents[1] / "data" / "sweep"
_MARK = re.compile(r"⟦(?P<kind>[stnr]) (?P<engine>[\w-]+)(?: (?P<severity>\w+))?⟧|⟦⟧|[⟪⟫]|[ ]?¤")
_SECRET = frozenset("st")


class Item(NamedTuple):
    """What is labelled: where, and what is right."""

    path: str
    line: int
    start: tuple[int, int]
    end: tuple[int, int]
    kind: str
    engine: str | None
    severity: str
    secret: str

    def is_met_by(self, hit):
        return (
            hit.path.as_posix() == self.path
            and (hit.line, hit.column) < self.end
            and self.start < (hit.end_line, hit.end_column)
        )

    def has_span_of(self, hit):
        return (hit.line, hit.column) == self.start and (hit.end_line, hit.end_column) == self.end


class Tree(NamedTuple):
    """The tree as it was written out, its items, and the places of what only looks like one."""

    root: Path
    files: int
    items: list[Item]
    look_alikes: set[tuple[str, int]]


def write_tree(root: Path, names: str = "*.txt") -> Tree:
    """Write the tree below a folder, without its labels."""
    tree = Tree(root, 0, [], set())
    files = 0
    for source in sorted(DATA.glob(names)):
        for block in source.read_text("utf-8").split("=== ")[1:]:
            name, _, text = block.partition("\n")
            path = f"{source.stem}/{name}"
            place = root / path
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(_unlabelled(text, path, tree), "utf-8")
            files += 1
    return tree._replace(files=files)


def _unlabelled(text: str, path: str, tree: Tree) -> str:
    made, at, open_item, secret = "", 0, None, None
    for match in _MARK.finditer(text):
        made += text[at : match.start()]
        at = match.end()
        if match["kind"]:
            open_item = (match, len(made))
        elif match[0] == "⟪":
            secret = len(made)
        elif match[0] == "⟫":
            secret = made[secret:]
        elif match[0] == "⟦⟧":
            label, start = open_item
            whole = made[start:]
            severity = label["severity"] or ("error" if label["kind"] in _SECRET else "note")
            engine = None if label["engine"] == "-" else label["engine"]
            held = secret if isinstance(secret, str) else whole if label["kind"] == "s" else ""
            first = _place(made, start)
            tree.items.append(
                Item(path, first[0], first, _place(made, len(made)), label["kind"], engine, severity, held)
            )
            secret = None
        else:
            tree.look_alikes.add((path, made.count("\n") + 1))
    return made + text[at:]


def _place(text: str, at: int) -> tuple[int, int]:
    return text.count("\n", 0, at) + 1, at - text.rfind("\n", 0, at)


class Score(NamedTuple):
    """How many of how many, for each thing that a sweep should do; and what was wrong."""

    counts: dict[str, tuple[int, int]]
    wrong: list[str]

    def ratio(self, name: str) -> float:
        done, of = self.counts[name]
        return done / of


def score(tree: Tree, hits) -> Score:
    """Compare hits with what is labelled."""
    wrong, found, failing, engines, spans, notes, likes = [], 0, 0, 0, 0, 0, 0
    secrets = [item for item in tree.items if item.kind in _SECRET]
    by_path = {}
    for hit in hits:
        by_path.setdefault(hit.path.as_posix(), []).append(hit)
    of_secret = {"cord-with-password", "secret-pair"}
    for item in secrets:
        met = [hit for hit in by_path.get(item.path, []) if item.is_met_by(hit) and hit.rule.value in of_secret]
        if not met:
            wrong.append(f"missed   {item.path}:{item.line} {item.kind} {item.secret}")
            continue
        hit = met[0]
        found += 1
        failing += hit.severity.value == item.severity
        engines += hit.engine == item.engine
        spans += item.has_span_of(hit)
        if hit.severity.value != item.severity:
            wrong.append(f"severity {item.path}:{item.line} {hit.severity.value}, not {item.severity}: {hit.reason}")
        if hit.engine != item.engine:
            wrong.append(f"engine   {item.path}:{item.line} {hit.engine}, not {item.engine} ({hit.masked})")
        if not item.has_span_of(hit):
            wrong.append(
                f"span     {item.path}:{item.line} {hit.column}-{hit.end_line}:{hit.end_column}, not {item.start}-{item.end}"
            )
    others = [item for item in tree.items if item.kind not in _SECRET]
    for item in others:
        met = [hit for hit in by_path.get(item.path, []) if item.is_met_by(hit) and hit.severity.value == "note"]
        notes += bool(met)
        if not met:
            wrong.append(f"unnoted  {item.path}:{item.line} {item.kind}")
    errors = [hit for hit in hits if hit.severity.value == "error"]
    right = 0
    for hit in errors:
        fits = any(item.is_met_by(hit) for item in secrets)
        right += fits
        if not fits:
            wrong.append(f"alarm    {hit.path.as_posix()}:{hit.line} {hit.rule.value} {hit.masked}")
    for path, line in sorted(tree.look_alikes):
        loud = [hit for hit in by_path.get(path, []) if hit.line == line and hit.severity.value != "note"
                and not any(item.is_met_by(hit) for item in tree.items)]  # fmt: skip
        likes += not loud
        wrong += [
            f"loud     {path}:{line} {hit.rule.value} {hit.masked}" for hit in loud if hit.severity.value != "error"
        ]
    counts = {
        "secrets found": (found, len(secrets)),
        "severity right": (failing, len(secrets)),
        "errors right": (right, len(errors)),
        "engine right": (engines, found),
        "span exact": (spans, found),
        "others noted": (notes, len(others)),
        "look-alikes passed": (likes, len(tree.look_alikes)),
    }
    return Score(counts, wrong)
