"""Where a text says something of a connection: what stands elsewhere need not be looked into."""

from __future__ import annotations

from bisect import bisect_left

# every connection has one of these: in a key, or in its text
_WORDS = (
    "://", "host", "server", "database", "dbname", "datasource", "data source", "jdbc", "dsn", "db", "address", "url",
    "uri", "connection", "schema", "pass", "pwd", "socket",
)  # fmt: skip


class Telling:
    """The places of telling words in a text; ``None`` says that every place counts."""

    def __init__(self, text: str) -> None:
        folded = text.lower()
        self.places: list[int] | None = None
        if len(folded) != len(text):  # a capital whose small letter is two: places would be others
            return
        found = list[int]()
        for word in _WORDS:  # a search for each word takes a tenth of the time of an expression of them all
            at = folded.find(word)
            while at >= 0:
                found.append(at)
                at = folded.find(word, at + 1)
        self.places = sorted(found)

    def within(self, start: int, end: int) -> bool:
        """Whether there is one between two places."""
        if self.places is None:
            return True
        at = bisect_left(self.places, start)
        return at < len(self.places) and self.places[at] < end
