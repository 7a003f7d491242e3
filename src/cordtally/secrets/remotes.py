"""``remote:NAME/PATH#KEY``: a value that a service on the network keeps, in the shape that the tally declares."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import NamedTuple
from urllib.parse import quote, urlsplit

from ..errors import FieldError, LocatorError
from . import pointers
from .declarations import Remote
from .stores import Described, Surroundings
from .web import Answer, Request, ask

_REST = re.compile(r"(?P<name>[A-Za-z][\w-]*)(?:/(?P<path>[^#]*))?(?:#(?P<key>.*))?")


class _Place(NamedTuple):
    url: str
    pointer: str
    what: str
    keyed: bool


class Remotes:
    """Secrets that services keep."""

    scheme = "remote"
    writable = True
    expires = False

    def get(self, rest: str, around: Surroundings) -> str:
        """Ask for a value."""
        return self.get_together([rest], around)[0]

    def get_together(self, rests: Sequence[str], around: Surroundings) -> list[str]:
        """Ask for several values; those of one path are out of one answer."""
        remote = _remote(around)
        places = [_place(remote, rest) for rest in rests]
        answers: dict[str, Answer] = {}
        for place in places:
            if place.url not in answers:
                answers[place.url] = _ask(remote, place, around)
        return [_value(answers[place.url], place) for place in places]

    def put(self, rest: str, secret: str, around: Surroundings) -> None:
        """Have a value kept; what else stands in the document stays."""
        self.put_together({rest: secret}, around)

    def put_together(self, secrets: Mapping[str, str], around: Surroundings) -> None:
        """Have several values kept; those of one path by one request."""
        remote = _remote(around)
        places = {_place(remote, rest): secret for rest, secret in secrets.items()}
        for url in dict.fromkeys(place.url for place in places):
            of_path = {place: secret for place, secret in places.items() if place.url == url}
            _change(remote, of_path, around)

    def drop(self, rest: str, around: Surroundings) -> None:
        """Have a value kept no longer; what else stands in the document stays."""
        remote = _remote(around)
        place = _place(remote, rest)
        _value(_ask(remote, place, around), place)
        _change(remote, {place: None}, around)

    def names(self, rest: str, around: Surroundings) -> list[str]:
        """List the keys of a path."""
        remote = _remote(around)
        place = _place(remote, f"{rest.partition('#')[0]}#x")
        document = pointers.parse_json(_ask(remote, place, around).text, place.what)
        found = pointers.value_at(document, place.pointer.rpartition("/")[0])
        return [f"{rest.partition('#')[0]}#{key}" for key in found] if isinstance(found, dict) else []

    def describe(self, rest: str, around: Surroundings) -> Described:
        """Tell which service keeps it."""
        remote = _remote(around)
        return Described(f"{urlsplit(remote.url).netloc}, by [remotes.{remote.name}]")


def _remote(around: Surroundings) -> Remote:
    if not isinstance(around.declared, Remote):
        message = "remote: no tally declares the service: remote: locators are for a tally with [remotes.NAME]"
        raise LocatorError(message)
    return around.declared


def _place(remote: Remote, rest: str) -> _Place:
    match = _REST.fullmatch(rest)
    path = "" if match is None else match["path"] or ""
    if match is None or any(part in {"", ".", ".."} for part in path.split("/") if path):
        raise LocatorError("remote: wants NAME/PATH#KEY, like remote:harbour/tides/production#password")
    key = match["key"]
    pointer = remote.pointer or ("" if key is None else "/{key}")
    if ("{key}" in pointer) != (key is not None):
        raise LocatorError(
            f"remote: [remotes.{remote.name}] " + ("needs a #KEY" if key is None else "has no place for a #KEY")
        )
    if "{path}" in remote.url and not path:
        raise LocatorError(f"remote: [remotes.{remote.name}] needs a path: remote:{remote.name}/PATH")
    url = remote.url.replace("{path}", quote(path, safe="/"))
    return _Place(url, pointers.filled(pointer, key or ""), f"remote: {remote.name}", bool(pointer))


def _ask(remote: Remote, place: _Place, around: Surroundings) -> Answer:
    return ask(remote, Request("GET", place.url, _token(remote, around)), place.what)


def _token(remote: Remote, around: Surroundings) -> str | None:
    from .fetching import fetch  # which asks this store

    return None if remote.token is None else fetch(remote.token, around).unmask()


def _value(answer: Answer, place: _Place) -> str:
    if not place.keyed:
        return answer.text.removesuffix("\n").removesuffix("\r")
    return pointers.text_at(pointers.parse_json(answer.text, place.what), place.pointer, place.what)


def _change(remote: Remote, values: Mapping[_Place, str | None], around: Surroundings) -> None:
    place = next(iter(values))
    if remote.write is None:
        raise LocatorError(f'remote: [remotes.{remote.name}] is not written: say how, like write = "PUT"')
    token = _token(remote, around)
    if not place.keyed:
        raise LocatorError(f"remote: [remotes.{remote.name}] needs a pointer to be written")
    try:
        answer = ask(remote, Request("GET", place.url, token), place.what)
    except LocatorError as error:
        if "(status 404)" not in str(error):
            raise
        answer = Answer("{}", "", "")
    document = pointers.parse_json(answer.text, place.what)
    try:
        for one, value in values.items():
            document = pointers.with_value(document, one.pointer, value)
        if remote.body:  # what is written is another document: all that stands beside the values, in its own place
            beside = pointers.value_at(document, place.pointer.rpartition("/")[0])
            document = pointers.with_value(None, remote.body.rpartition("/")[0], beside)
    except FieldError as error:
        raise LocatorError(f"{place.what}: {error}") from None
    ask(remote, Request(remote.write, place.url, token, document, answer.mark), place.what)
