"""Rules of what the readers remarked: the words are facts of the catalog, rule and severity are said here."""

from __future__ import annotations

from collections.abc import Callable, Container, Iterator
from dataclasses import replace

from ..catalog import load_driver, load_remarks
from ..notation import Case, Remark
from .edits import Edit
from .ids import RuleId
from .looks import Look
from .rules import Grade, Rule, Severity, Sight, Told, rule

_MISREAD = frozenset({
    Case.WORD, Case.SHAPE, Case.WHOLE_NUMBER, Case.BOUNDS, Case.BOOLEAN, Case.DURATION, Case.SPECIAL_NUMBER,
})  # fmt: skip


def remarked(
    rule_id: RuleId,
    severity: Severity,
    cases: tuple[Case, ...],
    *,
    title: str,
    why: str,
    about: str = "",
    bad: str | tuple[str, ...],
    good: str | tuple[str, ...],
    grade: Grade = Grade.FIXED,
    warns: tuple[Case, ...] = (),
    only: Callable[[Look, Remark], bool] | None = None,
    mend: Callable[[Look, Remark], Edit | None] | None = None,
) -> Rule:
    """Make the rule that reports some cases: those remarks that are ``only`` of a kind, each with its edit.

    Of those that are in ``warns`` the driver makes something, whatever the rule's severity.
    """

    def check(look: Look) -> Iterator[Told]:
        for remark in of_cases(look, cases):
            if only is None or only(look, remark):
                made = told(look, remark, None if mend is None else mend(look, remark))
                yield made._replace(severity=Severity.WARNING) if remark.case in warns else made

    made = rule(rule_id, severity, Sight.REMARKS, title=title, why=why, about=about, bad=bad, good=good, grade=grade)
    return replace(made(check), cases=cases)


def of_cases(look: Look, cases: Container[Case]) -> Iterator[Remark]:
    """Give the remarks of some cases."""
    for remark in look.reading.remarks if look.reading is not None else ():
        if remark.case in cases:
            yield remark


def told(look: Look, remark: Remark, edit: Edit | None = None) -> Told:
    """Say a remark; where the driver passes over what it cannot read, that is a warning."""
    assert look.reading is not None
    message, hint = load_remarks()[remark.case.value].say(remark.facts)
    driver = load_driver(look.reading.driver)
    ignored = remark.case in _MISREAD and driver.misreads == "ignored"
    message += f"; {driver.title} warns and ignores it" if ignored else ""
    return Told(message, hint, (remark.start, remark.end), Severity.WARNING if ignored else None, edit)


def replaced(look: Look, remark: Remark) -> Edit | None:
    """The edit that puts the nearest known word in the place of a remarked one."""
    nearest = remark.facts.get("nearest", "")
    return Edit(remark.start, remark.end, nearest) if nearest else None
