"""How findings of files are printed: grouped by file, each with its masked line, a caret, and what to do."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import groupby

from ..auditing import Vetted
from ..auditing.mending import Mended
from ..text import excerpt
from ..vetting import FAMILIES, RULES, Finding, Rule, RuleId
from .layout import Line
from .output import SEVERITY_STYLES, count_findings
from .screen import Screen, clean

_INDENT = 9
_MOST_ACCEPTED = 20


def print_vetted(screen: Screen, vetted: Vetted, *, quiet: bool) -> None:
    """Print what vetting a file or a tree came to, and how much was read."""
    if quiet:
        for one in vetted.findings:
            screen.say(_in_one_line(one), whole=True)
        return
    for source, group in groupby(vetted.findings, key=lambda one: one.source or ""):
        screen.say(clean(source), "bold", whole=True)
        for one in group:
            _print_one(screen, one)
        screen.say()
    _print_accepted(screen, vetted.accepted)
    counted = count_findings(vetted.findings)
    files = f"{vetted.files:,} file{'' if vetted.files == 1 else 's'} read"
    skipped = f", {vetted.binary:,} binary" if vetted.binary else ""
    skipped += f"; {len(vetted.accepted):,} accepted" if vetted.accepted else ""
    screen.say(f"{counted}; {files}{skipped}", "bold" if vetted.findings else "green")
    for what, paths in (
        ("too large for vet (sweep reads them)", vetted.too_large),
        ("not readable", vetted.unreadable),
    ):
        if paths:
            listed = ", ".join(clean(path.as_posix()) for path in paths[:5])
            more = f" and {len(paths) - 5:,} more" if len(paths) > 5 else ""
            screen.say(f"{what}: {listed}{more}", "yellow")


def _in_one_line(one: Finding) -> Line:
    place = clean(one.source or "") + (f":{one.line}:{one.column}" if one.line is not None else "")
    line = Line(f"{place}  ").append(one.severity.value, SEVERITY_STYLES[one.severity])
    return line.append(f"  {one.rule.value}: {clean(one.message)}")


def _print_one(screen: Screen, one: Finding) -> None:
    place = f"{one.line}:{one.column}" if one.line is not None else ""
    head = Line(f"{place:>{_INDENT - 1}} ").append(one.severity.value, SEVERITY_STYLES[one.severity])
    screen.say(head.append(f"  {one.rule.value}", "bold"), whole=True)
    shown = one.shown
    if shown is not None and shown.text:
        lead = len(shown.text) - len(shown.text.lstrip())
        lines = excerpt(shown.text.strip(), (max(0, shown.start - lead), max(0, shown.end - lead)), screen.width - 12)
        for line in lines if shown.end > shown.start else lines[:1]:
            screen.say(" " * _INDENT + line, "dim", whole=True)
    screen.say(" " * _INDENT + one.message, hang=_INDENT)
    screen.say(Line(" " * _INDENT).append("do ", "dim").append(one.hint), hang=_INDENT + 3)


def _print_accepted(screen: Screen, accepted: Sequence[Finding]) -> None:
    for one in accepted[:_MOST_ACCEPTED]:
        where = clean(one.source or "") + (f":{one.line}" if one.line is not None else "")
        screen.say(f"accepted  {one.rule.value} {where}, because {clean(one.accepted or '')}", "dim", hang=10)
    if len(accepted) > _MOST_ACCEPTED:
        screen.say(f"accepted  {len(accepted) - _MOST_ACCEPTED:,} more, which --json lists", "dim")
    if accepted:
        screen.say()


def print_mended(screen: Screen, texts: Sequence[Mended]) -> None:
    """Print what was mended: each text as it was and as it is, masked."""
    if not texts:
        screen.say("there is nothing that is safe to mend", "dim")
    for one in texts:
        rules = ", ".join(found.rule.value for found in one.findings)
        place = f"{clean(str(one.path))}:{one.line}  " if one.path is not None else ""
        screen.say(Line(place).append(rules, "bold"), whole=True)
        before, after = clean(str(one.before)), clean(str(one.after))
        screen.say(f"- {before}", "red", whole=True)
        screen.say(f"+ {after}", "green", whole=True)
        if before == after:
            screen.say("  (what changes is masked, or cannot be seen)", "dim")
        screen.say()


def print_rules(screen: Screen) -> None:
    """List all rules, by family."""
    for family, rules in FAMILIES.items():
        screen.say(family, "bold")
        rows = list[list[str | Line]]()
        for one in rules:
            severity = Line(one.severity.value, SEVERITY_STYLES[one.severity])
            rows.append([f"  {one.id.value}", severity, one.title])
        screen.table(rows, whole=(0, 1))
        screen.say()
    screen.say(f"{len(RULES)} rules; cordtally vet --explain RULE tells about one", "dim")


def print_rule(screen: Screen, rule_id: RuleId) -> None:
    """Explain one rule."""
    rule = RULES[rule_id]
    head = Line(rule.severity.value, SEVERITY_STYLES[rule.severity]).append(f"  {rule.id.value}", "bold")
    screen.say(head.append(f"  {rule.title}"), hang=2)
    for text in (rule.why, rule.about, _GRADES[rule.grade.value]):
        if text:
            screen.say()
            screen.say(text)
    for label, style, examples in (("reported", "red", rule.bad), ("not reported", "green", rule.good)):
        screen.say()
        screen.say(label, style)
        for example in examples:
            for line in example.rstrip("\n").split("\n"):
                screen.say(f"    {line}", whole=True)


_GRADES = {
    "fixed": "",
    "strict": "In production (--environment production) it matters one step more.",
    "by-place": "On this machine it is nothing, in a private network it matters one step less; in production "
    "(--environment production) every network counts as open.",
}


def rules_document(rules: Iterable[Rule]) -> list[dict[str, object]]:
    """Give rules as plain values."""
    families = {rule.id: family for family, several in FAMILIES.items() for rule in several}
    return [
        {
            "id": rule.id.value,
            "family": families[rule.id],
            "severity": rule.severity.value,
            "grade": rule.grade.value,
            "title": rule.title,
            "why": rule.why,
            "about": rule.about,
            "bad": list(rule.bad),
            "good": list(rule.good),
        }
        for rule in rules
    ]
