"""Writes what vetting found for other programs: SARIF 2.1.0 for code hosts, JUnit's XML for build servers."""

from __future__ import annotations

import json
from collections import Counter
from collections.abc import Callable, Iterable, Mapping
from hashlib import sha256
from urllib.parse import quote
from xml.etree import ElementTree

from ..text import xml_text
from ..vetting import FAMILIES, RULES, Finding, Fix, Rule, Severity

_LEVELS = {Severity.ERROR: "error", Severity.WARNING: "warning", Severity.NOTE: "note"}
_SCHEMA = "https://json.schemastore.org/sarif-2.1.0.json"
_TEXT = "text"  # how what stands in no file is called


def as_sarif(found: Iterable[Finding], accepted: Iterable[Finding] = ()) -> str:
    """Give a log of SARIF 2.1.0 (OASIS, 2020); accepted findings are in it, as suppressed.

    A finding's fingerprint is made of its rule, its file and the masked text around it: it survives moved lines.
    """
    numbers = {rule_id: number for number, rule_id in enumerate(RULES)}
    families = {rule.id: family for family, rules in FAMILIES.items() for rule in rules}
    seen = Counter[str]()
    results = [_result(one, numbers[one.rule], seen) for one in (*found, *accepted)]
    described = [_described(rule, families[rule.id]) for rule in RULES.values()]
    driver = {"name": "cordtally", "informationUri": "https://cordtally.example", "rules": described}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    return json.dumps({"$schema": _SCHEMA, "version": "2.1.0", "runs": [run]}, indent=2, ensure_ascii=False) + "\n"


def _described(rule: Rule, family: str) -> dict[str, object]:
    help_text = " ".join(part for part in (rule.why, rule.about) if part)
    return {
        "id": rule.id.value,
        "shortDescription": {"text": rule.title},
        "fullDescription": {"text": rule.why},
        "help": {"text": f"{help_text} See: cordtally vet --explain {rule.id.value}"},
        "defaultConfiguration": {"level": _LEVELS[rule.severity]},
        "properties": {"tags": [family]},
    }


def _result(one: Finding, number: int, seen: Counter[str]) -> dict[str, object]:
    path = _path_of(one)
    around = "" if one.shown is None else one.shown.text
    mark = sha256("\0".join((one.rule.value, path, around, one.message)).encode("utf-8", "surrogatepass")).hexdigest()
    seen[mark] += 1
    place: dict[str, object] = {"artifactLocation": {"uri": quote(path, safe="/"), "uriBaseId": "%SRCROOT%"}}
    if one.line is not None:
        region = {"startLine": one.line, "startColumn": one.column or 1}
        if one.end_line is not None and one.end_column is not None:
            region |= {"endLine": one.end_line, "endColumn": one.end_column}
        place["region"] = region
    made: dict[str, object] = {
        "ruleId": one.rule.value,
        "ruleIndex": number,
        "level": _LEVELS[one.severity],
        "message": {"text": f"{one.message}; {one.hint}"},
        "locations": [{"physicalLocation": place}],
        "partialFingerprints": {"cordtally/1": f"{mark[:32]}:{seen[mark]}"},
    }
    if one.fix is not None:
        made["fixes"] = [_fix(one.fix, one.hint, place["artifactLocation"])]
    if one.accepted is not None:
        made["suppressions"] = [{"kind": "inSource", "justification": one.accepted}]
    return made


def _fix(fix: Fix, hint: str, location: object) -> dict[str, object]:
    region = {"startLine": fix.line, "startColumn": fix.column, "endLine": fix.end_line, "endColumn": fix.end_column}
    replacement = {"deletedRegion": region, "insertedContent": {"text": fix.text}}
    changes = [{"artifactLocation": location, "replacements": [replacement]}]
    return {"description": {"text": hint}, "artifactChanges": changes}


def _path_of(one: Finding) -> str:
    """The file of a finding; a cord stands behind it, and a text that was given has none."""
    return (one.source or _TEXT).partition(": ")[0]


def as_junit(found: Iterable[Finding], fails: Callable[[Finding], bool], files: Mapping[str, int] | None = None) -> str:
    """Give the XML that build servers read: a test a file, which fails by the findings that fail.

    Others stand in its output. ``files`` are counted as properties.
    """
    by_file: dict[str, list[Finding]] = {}
    for one in found:
        by_file.setdefault(_path_of(one), []).append(one)
    suite = ElementTree.Element("testsuite", name="cordtally vet")
    if files:
        properties = ElementTree.SubElement(suite, "properties")
        for name, count in files.items():
            ElementTree.SubElement(properties, "property", name=name, value=str(count))
    failed = 0
    for path, findings in by_file.items():
        case = ElementTree.SubElement(suite, "testcase", classname="vet", name=xml_text(path))
        bad = [one for one in findings if fails(one)]
        failed += bool(bad)
        for one in bad:
            told = ElementTree.SubElement(case, "failure", type=one.rule.value, message=xml_text(_said(one)))
            told.text = xml_text(one.hint)
        rest = [_said(one) for one in findings if not fails(one)]
        if rest:
            ElementTree.SubElement(case, "system-out").text = xml_text("\n".join(rest))
    if not by_file:
        ElementTree.SubElement(suite, "testcase", classname="vet", name="all that was named")
    suite.set("tests", str(max(1, len(by_file))))
    suite.set("failures", str(failed))
    ElementTree.indent(suite)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(suite, encoding="unicode") + "\n"


def _said(one: Finding) -> str:
    where = f"{one.line}:{one.column} " if one.line is not None else ""
    return f"{where}{one.severity.value} {one.rule.value}: {one.message}"
