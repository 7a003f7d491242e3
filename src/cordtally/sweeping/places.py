"""What the place of a file in its tree says: tests, documents, samples, environments, folders that the web sees."""

from __future__ import annotations

import ipaddress
import re
from functools import lru_cache
from pathlib import PurePath

from ..vetting.leading import PRODUCTION

_TEST_FOLDERS = frozenset(
    ["test", "tests", "spec", "specs", "__tests__", "testdata", "test-data", "fixtures", "fixture", "e2e", "testing",
     "mocks", "__mocks__", "testutil", "testutils", "it", "integration-tests", "unittest", "unittests"]
)  # fmt: skip
_TEST_FILE = re.compile(
    r"(?:test_.*|.*_tests?|.*[.-](?:test|spec)s?|.*_spec|[\w.]*[a-z](?:Tests?|IT|Spec|TestCase)|conftest)\.\w+|tests?\.\w+"
)
_DOC_FOLDERS = frozenset(
    [
        "doc",
        "docs",
        "documentation",
        "man",
        "examples",
        "example",
        "samples",
        "sample",
        "tutorial",
        "tutorials",
        "translations",
        "locale",
        "locales",
        "lc_messages",
        "i18n",
    ]
)
_DOC_ENDINGS = frozenset(
    [
        ".md",
        ".markdown",
        ".rst",
        ".adoc",
        ".asciidoc",
        ".textile",
        ".rmd",
        ".qmd",
        ".pod",
        ".po",
        ".pot",
        ".1",
        ".5",
        ".8",
    ]
)
_DOC_FILE = re.compile(
    r"(?i:readme)(?:\.\w+)?|(?:CHANGELOG|CHANGES|NEWS|HISTORY|AUTHORS|CONTRIBUTING|INSTALL|LICENSE)(?:\.\w+)?|PKG-INFO|METADATA"
)
_SAMPLE_FILE = re.compile(r".*(?:\.|[-_])(?:example|sample|dist|template|tmpl|tpl|skel)(?:\.\w+)?", re.IGNORECASE)
_ENVIRONMENTS = {
    "production": PRODUCTION,
    "staging": ("staging", "stage", "stg", "preprod"),
    "testing": ("test", "testing", "ci", "qa", "uat"),
    "development": ("development", "dev", "devel", "local"),
}
_ENVIRONMENT = {word: name for name, words in _ENVIRONMENTS.items() for word in words}
_PUBLIC = frozenset(["public", "public_html", "htdocs", "wwwroot", "webroot", "www", "html", "httpdocs"])
# reserved for documents and tests by RFC 2606, RFC 6761; and what has no name beyond its own network
_RESERVED = re.compile(
    r"(?:.*\.)?(?:example|test|invalid|localhost|local|localdomain|internal|lan|svc|cluster)|"
    r"(?:.*\.)?example\.(?:com|org|net|edu)|[^.]+",
    re.IGNORECASE,
)


@lru_cache(maxsize=4096)
def kind_of_place(path: PurePath) -> str:
    """Say what a file is by its path: ``test``, ``document``, ``sample``, or ``source``."""
    folders = {part.casefold() for part in path.parts[:-1]}
    if folders & _TEST_FOLDERS or _TEST_FILE.fullmatch(path.name):
        return "test"
    if path.suffix.casefold() in _DOC_ENDINGS or _DOC_FILE.fullmatch(path.name) or folders & _DOC_FOLDERS:
        return "document"
    return "sample" if _SAMPLE_FILE.fullmatch(path.name) else "source"


def environment_of(path: PurePath, names: tuple[str, ...]) -> str | None:
    """Name the environment that keys or a path tell of; the nearest word counts."""
    for name in reversed(names):
        for word in re.split(r"[._\s-]+", name.casefold()):
            if word in _ENVIRONMENT and word not in {"test", "local", "live", "stage"}:
                return _ENVIRONMENT[word]
    words = [word for part in (*path.parts[:-1], path.name) for word in re.split(r"[._-]+", part.casefold())]
    return next((_ENVIRONMENT[word] for word in reversed(words) if word in _ENVIRONMENT), None)


def public_folder(path: PurePath) -> str | None:
    """Name the folder above a file that a web server shows, by the usual names."""
    for depth in range(len(path.parts) - 1, 0, -1):
        part = path.parts[depth - 1]
        if part in _PUBLIC:
            return "/".join(path.parts[:depth])
    return None


_ROOT = re.compile(
    rb"^\s*(?:root\s+[\"']?(?P<nginx>[^\s;\"'$]+)[\"']?\s*;|DocumentRoot\s+[\"']?(?P<apache>[^\s\"'$]+)|root\s+\*\s+(?P<caddy>\S+))",
    re.MULTILINE | re.IGNORECASE,
)
_SERVER_FILE = re.compile(r".*\.(?:conf|vhost)|.*nginx.*|.*apache.*|.*httpd.*|caddyfile|000-default.*|\.htaccess", re.I)


def roots_shown(name: str, data: bytes) -> list[str]:
    """The folders that a web server's configuration shows, as it names them; none of other files."""
    if not _SERVER_FILE.fullmatch(name) or b"oot" not in data:
        return []
    return [
        next(one for one in match.groups() if one).decode("utf-8", "replace").rstrip("/")
        for match in _ROOT.finditer(data)
    ]


@lru_cache(maxsize=4096)
def is_real_looking(host: str) -> bool:
    """Whether a host looks like one that is there: no reserved name or address, and none of a document."""
    try:
        address = ipaddress.ip_address(host.strip("[]").partition("%")[0])
    except ValueError:
        return bool(host) and "$" not in host and "<" not in host and not _RESERVED.fullmatch(host.rstrip("."))
    return address.is_global
