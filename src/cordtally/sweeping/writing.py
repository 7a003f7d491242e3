"""Writes what a sweep or an inventory found as a file: CSV, Markdown, SARIF 2.1.0, one HTML page, or a picture."""

from __future__ import annotations

import csv
import html
import io
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from ..errors import FieldError, quoted
from ..vetting import RULES, Severity, Sight
from .hits import Hit, Sweep
from .inventory import Inventory, Row

_HEADS = (
    "service",
    "environment",
    "engine",
    "server",
    "database",
    "user",
    "secret",
    "tls",
    "variables",
    "pool",
    "places",
)
_HIT_HEADS = ("path", "line", "column", "severity", "rule", "engine", "environment", "name", "masked", "reason")
_LEVELS = {Severity.ERROR: "error", Severity.WARNING: "warning", Severity.NOTE: "note"}
_PICTURES = (".svg", ".png", ".pdf")
_SPREADS = ("=", "+", "-", "@", "\t", "\r")  # what a spreadsheet takes for a formula at the beginning of a cell


def write_report(found: Sweep | Inventory, path: str | Path) -> Path:
    """Write a file; the ending says the format.

    Parameters
    ----------
    found : Sweep or Inventory
        Hits are written as .csv, .md, .html, .sarif or .json, an inventory as .csv, .md, .html, .json, .svg or .png.
    path : str or Path
        The file.

    Raises
    ------
    FieldError
        For another ending.
    MissingExtra
        When Matplotlib is not installed, for a picture.
    OSError
        When the file cannot be written.
    """
    path = Path(path)
    ending = check_report(path, inventory=isinstance(found, Inventory))
    if ending in _PICTURES and isinstance(found, Inventory):
        from .matrix import save_matrix

        return save_matrix(found, path)
    writers: dict[str, Any] = {
        ".csv": as_csv,
        ".md": as_markdown,
        ".html": as_page,
        ".json": as_json,
        ".sarif": as_sarif,
    }
    path.write_text(writers[ending](found), encoding="utf-8", newline="")
    return path


def check_report(path: Path, *, inventory: bool) -> str:
    """Give the ending of a report's name.

    Raises
    ------
    FieldError
        Where no report of that kind is written so.
    """
    known = [".csv", ".md", ".html", ".json", *(_PICTURES if inventory else [".sarif"])]
    if (ending := path.suffix.casefold()) not in known:
        raise FieldError(f"a report is written as {', '.join(known)}, not {quoted(ending or 'without an ending')}")
    return ending


def _table(found: Sweep | Inventory) -> tuple[Sequence[str], list[list[str]]]:
    heads = _HEADS if isinstance(found, Inventory) else _HIT_HEADS
    rows: Sequence[Row | Hit] = found.rows if isinstance(found, Inventory) else found.hits
    return heads, [[_cell(row.to_dict()[head]) for head in heads] for row in rows]


def _cell(value: object) -> str:
    if isinstance(value, list):
        return ", ".join(map(str, value))
    return "" if value is None else str(value)


def as_json(found: Sweep | Inventory) -> str:
    """Give the document as text."""
    return json.dumps(found.to_dict(), indent=2, ensure_ascii=False) + "\n"


def as_csv(found: Sweep | Inventory) -> str:
    """Give rows of comma-separated values (RFC 4180); no cell can be taken for a formula."""
    heads, rows = _table(found)
    stream = io.StringIO()
    writer = csv.writer(stream)
    writer.writerow(heads)
    writer.writerows([f"'{cell}" if cell.startswith(_SPREADS) else cell for cell in row] for row in rows)
    return stream.getvalue()


def as_markdown(found: Sweep | Inventory) -> str:
    """Give a table of GitHub's Markdown; of an inventory a list below it of the names that do not meet."""
    heads, rows = _table(found)
    lines = [f"| {' | '.join(heads)} |", f"|{'---|' * len(heads)}"]
    lines += [f"| {' | '.join(_in_markdown(cell) for cell in row)} |" for row in rows]
    if isinstance(found, Inventory) and found.slips:
        lines += ["", *(f"- {_in_markdown(str(slip))}" for slip in found.slips)]
    return "\n".join(lines) + "\n"


def _in_markdown(cell: str) -> str:
    shown = " ".join(cell.split()).replace("\\", "\\\\").replace("|", "\\|").replace("`", "\\`").replace("<", "&lt;")
    return shown.replace("*", "\\*").replace("_", "\\_")


def as_sarif(found: Sweep) -> str:
    """Give a log of SARIF 2.1.0 (OASIS, 2020), as code hosts take it; accepted hits are in it, as suppressed."""
    rules = [rule for rule in RULES.values() if rule.sees is Sight.LINE]
    numbers = {rule.id: number for number, rule in enumerate(rules)}
    described = [
        {
            "id": rule.id.value,
            "shortDescription": {"text": rule.title},
            "fullDescription": {"text": rule.why},
            "defaultConfiguration": {"level": _LEVELS[rule.severity]},
        }
        for rule in rules
    ]
    results = [_result(hit, numbers[hit.rule]) for hit in [*found.hits, *found.accepted]]
    driver = {"name": "cordtally", "informationUri": "https://cordtally.example", "rules": described}
    run = {"tool": {"driver": driver}, "columnKind": "unicodeCodePoints", "results": results}
    log = {"$schema": "https://json.schemastore.org/sarif-2.1.0.json", "version": "2.1.0", "runs": [run]}
    return json.dumps(log, indent=2, ensure_ascii=False) + "\n"


def _result(hit: Hit, number: int) -> dict[str, object]:
    region = {"startLine": hit.line, "startColumn": hit.column, "endLine": hit.end_line, "endColumn": hit.end_column}
    place = {"artifactLocation": {"uri": _uri(hit.path), "uriBaseId": "%SRCROOT%"}, "region": region}
    made: dict[str, object] = {
        "ruleId": hit.rule.value,
        "ruleIndex": number,
        "level": _LEVELS[hit.severity],
        "message": {"text": f"{hit.reason}: {hit.masked}"},
        "locations": [{"physicalLocation": place}],
        "properties": {"confidence": hit.confidence, "engine": hit.engine, "environment": hit.environment},
    }
    if hit.accepted is not None:
        made["suppressions"] = [{"kind": "inSource", "justification": hit.accepted}]
    return made


def _uri(path: Path) -> str:
    from urllib.parse import quote

    return quote(path.as_posix().encode("utf-8", "surrogateescape"))


_STYLE = """
:root { color-scheme: light dark; --line: #8884; --bad: #b3261e; --mind: #8a5a00; --good: #1b6e3c; }
body { font: 16px/1.5 system-ui, sans-serif; margin: 2rem auto; max-width: 84rem; padding: 0 1rem; }
h1 { font-size: 1.5rem; } h2 { font-size: 1.15rem; margin-top: 2rem; }
table { border-collapse: collapse; width: 100%; font-size: .85rem; } .wide { overflow-x: auto; }
th, td { text-align: left; padding: .35rem .6rem; border-bottom: 1px solid var(--line); vertical-align: top; }
td { overflow-wrap: break-word; } td.place { font-family: ui-monospace, monospace; font-size: .85em; min-width: 14rem; }
td.short { white-space: nowrap; } .matrix td, .matrix th { text-align: center; }
.matrix th:first-child { text-align: left; }
.matrix th { white-space: nowrap; font-weight: 600; } .matrix small { font-weight: 400; }
.bad { color: var(--bad); font-weight: 600; } .mind { color: var(--mind); } .good { color: var(--good); }
@media (prefers-color-scheme: dark) { :root { --bad: #ff8a80; --mind: #ffca7a; --good: #8fd6a8; } }
"""
_SHADES = {"in the file": "bad", "a placeholder": "mind", "error": "bad", "warning": "mind"}


def as_page(found: Sweep | Inventory) -> str:
    """Give one page of HTML that needs nothing else: no script, no picture, nothing from elsewhere."""
    sweep = found.sweep if isinstance(found, Inventory) else found
    title = f"Connections of {found.root.resolve().name}" if isinstance(found, Inventory) else "What a sweep found"
    parts = [f"<h1>{html.escape(title)}</h1>"]
    if isinstance(found, Inventory):
        parts += [f"<p>{html.escape(found._summary().partition(' in ')[0])}</p>", _matrix_of(found), _page_table(found)]
        slips = [f"<li>{html.escape(_printable(str(slip)))}</li>" for slip in found.slips]
        parts += ["<h2>Names that do not meet</h2>", "<ul>", *slips, "</ul>"] if slips else []
    if sweep is not None and sweep.hits:
        parts += ["<h2>What to see to</h2>" if isinstance(found, Inventory) else "", _page_table(sweep)]
    body = "\n".join(part for part in parts if part)
    head = (
        f'<meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>{html.escape(title)}</title>'
    )
    return (
        f'<!doctype html>\n<html lang="en"><head>{head}<style>{_STYLE}</style></head>\n<body>\n{body}\n</body></html>\n'
    )


def _page_table(found: Sweep | Inventory) -> str:
    heads, rows = _table(found)
    empty = {number for number, head in enumerate(heads) if not any(row[number] for row in rows)}
    kept = [(number, head) for number, head in enumerate(heads) if number not in empty]
    lines = ["<tr>" + "".join(f"<th>{html.escape(head)}</th>" for _, head in kept) + "</tr>"]
    for row in rows:
        cells = []
        for number, head in kept:
            shade = "place" if head in {"places", "path"} else _SHADES.get(row[number], "")
            shade += (
                " short" if head in {"service", "engine", "tls", "environment", "severity", "rule", "secret"} else ""
            )
            cells.append(f'<td class="{shade.strip()}">{html.escape(_printable(row[number]))}</td>')
        lines.append("<tr>" + "".join(cells) + "</tr>")
    return '<div class="wide"><table>\n' + "\n".join(lines) + "\n</table></div>"


def _matrix_of(found: Inventory) -> str:
    """The services by databases, as a table."""
    from .matrix import SAID, SIGNS, cells_of, label_of

    services, targets, cells = cells_of(found)
    if not services:
        return ""
    head = "".join(f"<th>{_in_two_lines(label_of(one))}</th>" for one in targets)
    lines = [f"<tr><th></th>{head}</tr>"]
    shades = {"secret in a file": "bad", "not encrypted": "mind", "protected": "good"}
    for service in services:
        inner = ""
        for target in targets:
            state = cells.get((service, target))
            inner += "<td></td>" if state is None else f'<td class="{shades[state]}">{SIGNS[state]} {SAID[state]}</td>'
        lines.append(f"<tr><th>{html.escape(_printable(service))}</th>{inner}</tr>")
    return (
        '<h2>Services and databases</h2><div class="wide"><table class="matrix">\n'
        + "\n".join(lines)
        + "\n</table></div>"
    )


def _in_two_lines(label: str) -> str:
    first, _, second = label.partition("\n")
    small = f"<br><small>{html.escape(_printable(second))}</small>" if second else ""
    return html.escape(_printable(first)) + small


def _printable(text: str) -> str:
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in text)
