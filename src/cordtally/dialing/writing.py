"""Dials as JUnit's XML, which build servers show: a test for each, which fails where it broke."""

from __future__ import annotations

from collections.abc import Sequence
from xml.etree import ElementTree

from ..text import xml_text
from .rungs import DialResult


def as_junit(titles: Sequence[str], results: Sequence[DialResult]) -> str:
    """Give the XML; the titles are the names of the tests, and the times those of the dials (s)."""
    suite = ElementTree.Element("testsuite", name="cordtally dial", tests=str(len(results)))
    suite.set("failures", str(sum(not one.held for one in results)))
    suite.set("time", f"{sum(one.seconds for one in results):.3f}")
    for title, one in zip(titles, results, strict=True):
        case = ElementTree.SubElement(suite, "testcase", classname="dial", name=xml_text(title))
        case.set("time", f"{one.seconds:.3f}")
        if one.diagnosis is None:
            ElementTree.SubElement(case, "system-out").text = xml_text(one.sentence)
            continue
        message = f"broke at {one.broke_at}: {one.diagnosis.cause}"
        told = ElementTree.SubElement(case, "failure", type=one.diagnosis.id, message=xml_text(message))
        told.text = xml_text(one.diagnosis.hint)
    ElementTree.indent(suite)
    return '<?xml version="1.0" encoding="utf-8"?>\n' + ElementTree.tostring(suite, encoding="unicode") + "\n"
