"""The strings and comments of a program on given lines: what each stands for, what it is called, what it is given to.

Only what stands on those lines is looked at, from the tree that the grammar made of the whole file. Nothing is run.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any, NamedTuple

from .code import PUNCTUATION, Code
from .offsets import Offsets
from .scalars import decode
from .trees import parser_of

# what grammars call a string as a whole; its quotes and pieces are named after it, too
_STRING = re.compile(
    r"(?:.*_)?(?:string|string_lit|string_literal|string_expression|heredoc_body|heredoc_content|template_string|"
    r"quoted_template|nowdoc_body|sigil|charlist|encapsed_string|shell_command_expression|heredoc|nowdoc|quoted_word)"
)
_COMMENT = re.compile(r".*comment.*|pod")
_PUT_IN = re.compile(r".*(?:interpol|substitut|expansion|variable|embedded|expression|scalar|array|identifier).*")
_NO_NAME = re.compile(
    r".*(?:binary|comparison|relational|equality|infix|case|subscript|index|member|access|selector|navigation|"
    r"field_expression|attribute).*|(?:.*_)?type(?:_.*)?"
)
_OPERATION = re.compile(r".*(?:binary|comparison|relational|equality|infix|multiplicative).*")
_SUBSCRIPT = re.compile(
    r".*(?:subscript|index_expression|element_access|element_reference|array_access|hash_element).*"
)
_SCOPE = re.compile(
    r".+_(?:statement|definition|body)|program|module|source_file|compilation_unit|chunk|translation_unit"
)
_FEW = 12  # parts of an expression with an operator
_LIST = re.compile(r".*(?:list|array|tuple|set|sequence).*")
_FLAG = re.compile(r"--?(?P<name>[A-Za-z][\w-]+)")
_OPENS = re.compile(r"[A-Za-z$@#]{0,3}(?:\"\"\"|'''|\"|'|`)")
_ESCAPE = re.compile(
    r"\\(?:u\{[^}]*\}|U[0-9A-Fa-f]{8}|u[0-9A-Fa-f]{4}|x[0-9A-Fa-f]{2}|[0-7]{1,3}|.)|&#?\w+;|.", re.DOTALL
)
# calls that give their one argument back: what is assigned is still that
_GIVES_BACK = re.compile(
    r"(?:.*\.)?(?:String|str|bytes|byte|\[\]byte|valueOf|of|ofNullable|from|quote|quote_plus|encodeURIComponent|"
    r"rawurlencode|urlencode|Secret|SecretStr|SecretString|sensitive|Some|TrimSpace|nonsensitive)"
)
# how grammars call the two sides of what gives a name to a value
_SIDES = (
    ("left", "right"), ("declarator", "value"), ("designator", "value"), ("name", "value"), ("key", "value"),
    ("pattern", "value"), ("name", "default_value"), ("name", "right"), ("left", "value"), ("variable", "value"),
    ("lhs", "rhs"), ("name", "default"), ("key", "val"),
)  # fmt: skip
_OR_ELSE = re.compile(r"unwrap_or|orElse|getOrElse|or_else|orDefault")
_LONGEST_LOOK_UP = 300  # characters
_KIND = re.compile(r"[\W]{0,3}(?:engine|dialect|type|client|driver|adapter|dbtype|vendor)\b", re.IGNORECASE)
_LONGEST_KIND = 120  # characters of an entry that says of which kind those beside it are
_KINDS_WITHIN = 8  # nodes: the map that holds a value, or the one around it
_MOST_BESIDE = 60  # entries of a map
_DEEPEST = 60  # nodes between a string and the outermost name that is told


class Piece(NamedTuple):
    """A stretch of a string as it is written, from a place in the file, and what it stands for."""

    start: int
    raw: str
    value: str


class Literal(NamedTuple):
    """A string or a comment: its pieces, the names that lead to it, and the call that it is an argument of.

    ``start`` and ``end`` bound it as it is written, quotes included; ``given`` is all that the same call is given,
    as it is written; ``beside`` is what else is said
    of the kind. An ``item`` is one of a list that has the name. What is put in when the program runs is
    ``${name}``. A string that stands by itself, as documentation does, is a ``comment``.
    """

    start: int
    end: int
    pieces: tuple[Piece, ...]
    names: tuple[str, ...] = ()
    call: str = ""
    place: int = 0
    size: int = 0
    given: tuple[str, ...] = ()
    comment: bool = False
    item: bool = False
    beside: tuple[str, ...] = ()

    @property
    def text(self) -> str:
        """What it stands for."""
        return "".join(piece.value for piece in self.pieces)

    def moved(self, by: int) -> Literal:
        """Give it as it stands in a text of which its own is a part."""
        pieces = tuple(piece._replace(start=piece.start + by) for piece in self.pieces)
        return self._replace(start=self.start + by, end=self.end + by, pieces=pieces)

    def position(self, offset: int, *, ends: bool = False) -> int:
        """Give the place in the file of a place in `text`; one that ``ends`` something is not the next one's start."""
        for piece in self.pieces:
            size = len(piece.value)
            if offset < size or (offset == size and ends):
                return piece.start + _raw_offset(piece, offset)
            offset -= size
        last = self.pieces[-1]
        return last.start + len(last.raw)


def _raw_offset(piece: Piece, offset: int) -> int:
    if piece.raw == piece.value:
        return offset
    if offset in {0, len(piece.value)}:
        return len(piece.raw) if offset else 0
    if piece.value.startswith("${"):
        return len(piece.raw) if offset else 0
    at = made = 0
    while made < offset and at < len(piece.raw):
        doubled = piece.raw[at] in "\"'`" and piece.raw[at + 1 : at + 2] == piece.raw[at]
        if doubled and piece.value[made + 1 : made + 2] != piece.raw[at]:
            at += 2
        else:
            match = _ESCAPE.match(piece.raw, at)
            at = match.end() if match is not None else at + 1
        made += 1
    return at


class Program:
    """A parsed program, asked for what stands on single lines of it."""

    def __init__(self, text: str, language: str) -> None:
        data = text.encode("utf-8", "surrogatepass")
        self.tree = parser_of(language).parse(data)
        self.text, self.data, self.language = text, data, language
        self.code = Code(text, Offsets(text, data), language)
        self.kinds = self.code.kinds
        self.scalars = self.code.language.get("scalars", {})
        self._entries = self.kinds["elements"] | self.kinds["pairs"]
        self._ascii = len(data) == len(text)

    def _byte(self, place: int) -> int:
        return place if self._ascii else len(self.text[:place].encode("utf-8", "surrogatepass"))

    def literals(self, start: int, end: int) -> Iterator[Literal]:
        """Give the strings and comments that stand on, or run over, a stretch of the text."""
        for found in self._found(self._byte(start), self._byte(end)):
            made = self._comment(found) if _COMMENT.fullmatch(found.type) else self._string(found)
            if made is not None:
                yield made

    def held_by(self, literal: Literal, kinds: frozenset[str]) -> tuple[str, int] | None:
        """Give the kind of the nearest part of the program that a string stands in, of some kinds, and its place."""
        node = self.tree.root_node.descendant_for_byte_range(self._byte(literal.start), self._byte(literal.end))
        while node is not None and node.type not in kinds:
            node = node.parent
        return None if node is None else (str(node.type), self.code.offsets.at(node.start_byte))

    def is_broken(self, start: int, end: int) -> bool:
        """Whether the grammar could not read what stands on a stretch of the text."""
        if not self.tree.root_node.has_error:
            return False
        node = self.tree.root_node.descendant_for_byte_range(self._byte(start), self._byte(end))
        return node is None or node.has_error or node.type == "ERROR"

    def _found(self, start: int, end: int) -> Iterator[Any]:
        waiting = [self.tree.root_node]
        while waiting:
            node = waiting.pop()
            if self._is_whole(node):
                yield node
                continue
            cursor, inner = node.walk(), list[Any]()
            if cursor.goto_first_child_for_byte(start) is None:
                continue
            while True:
                child = cursor.node
                if child.start_byte >= end:
                    break
                if child.end_byte > start:
                    inner.append(child)
                if not cursor.goto_next_sibling():
                    break
            waiting += reversed(inner)

    def _is_whole(self, node: Any) -> bool:  # noqa: ANN401 -- a node of a package that need not be there
        kind = node.type
        if not node.is_named or kind in {"string_content", "concatenated_string", "chained_string"}:
            return False
        return self.scalars.get(kind) == "string" or bool(_STRING.fullmatch(kind) or _COMMENT.fullmatch(kind))

    def _comment(self, found: Any) -> Literal:  # noqa: ANN401
        start, end = self.code.offsets.span(found)
        return Literal(start, end, (Piece(start, self.text[start:end], self.text[start:end]),), comment=True)

    def _string(self, found: Any) -> Literal | None:  # noqa: ANN401
        top = found
        while (parent := top.parent) is not None and self._joins(parent):
            top = parent
        if top is not found and self._first_string(top) != (found.start_byte, found.end_byte):
            return None  # told with the first piece
        start, end = self.code.offsets.span(top)
        pieces = tuple(self._pieces(top))
        pieces = pieces or (Piece(start, "", ""),)
        if top.parent is not None and top.parent.type == "expression_statement" and len(top.parent.children) == 1:
            return Literal(start, end, (Piece(start, self.text[start:end], self.text[start:end]),), comment=True)
        return self._context(top, Literal(start, end, pieces))

    def _joins(self, node: Any) -> bool:  # noqa: ANN401
        if node.type in {"parenthesized_expression", "template_literal", "quoted_template"}:
            return True
        if node.type not in self.kinds["joins"]:
            return False
        sign = self.code.language.get("operator", "+")
        signs = {child.type for child in node.children if not child.is_named}
        return not signs or not sign or sign in signs

    def _first_string(self, top: Any) -> tuple[int, int] | None:  # noqa: ANN401
        waiting = [top]
        while waiting:
            node = waiting.pop()
            if self._is_whole(node) and not _COMMENT.fullmatch(node.type):
                return node.start_byte, node.end_byte
            if node is top or self._joins(node):
                waiting += reversed(node.children)
        return None

    def _pieces(self, node: Any) -> Iterator[Piece]:  # noqa: ANN401
        start, end = self.code.offsets.span(node)
        raw = self.text[start:end]
        if self._is_whole(node):
            yield from self._inside(node, raw, start)
        elif self._joins(node):
            for child in node.children:
                if child.is_named and not _COMMENT.fullmatch(child.type):
                    yield from self._pieces(child)
        else:
            yield Piece(start, raw, f"${{{_last_word(raw)}}}")

    def _inside(self, node: Any, raw: str, start: int) -> Iterator[Piece]:  # noqa: ANN401
        """The pieces of one string: all of it, or what stands around the places in which something is put."""
        opens = _OPENS.match(raw)
        head, tail = (opens.end(), len(opens[0].lstrip("@$#" + _LETTERS))) if opens is not None else (0, 0)
        tail = tail if opens is not None and len(raw) >= head + tail else 0
        inner = raw[head : len(raw) - tail]
        style = self.language if self.scalars.get(node.type) == "string" else self.scalars.get(node.type, "")
        put_in = [c for c in _put_in(node) if c.end_byte > c.start_byte]
        value = decode(raw, style) if style and not put_in else None
        if value is None and node.type == "preproc_arg":
            return  # what a macro stands for is a string only where it is nothing else
        if value is not None:
            yield Piece(start + head, inner, value)
            return
        at = start + head
        for child in put_in:
            first, last = self.code.offsets.span(child)
            if first < at:
                continue
            if self.text[first - 1 : first] == "{" and self.text[last : last + 1] == "}" and first > at:
                first, last = first - 1, last + 1
            yield Piece(at, self.text[at:first], _unescaped(self.text[at:first]))
            whole = self.text[first:last]
            yield Piece(first, whole, f"${{{_last_word(whole)}}}")
            at = last
        rest = self.text[at : start + len(raw) - tail]
        yield Piece(at, rest, _unescaped(rest))

    def _context(self, top: Any, made: Literal) -> Literal:  # noqa: ANN401
        """What leads to a string: the names that hold it, and the first call that it is an argument of."""
        names, node, blocked = list[str](), top, False
        for depth in range(_DEEPEST):
            parent = node.parent
            if parent is None or (_SCOPE.fullmatch(parent.type) and parent.type not in self.kinds["assignments"]):
                break
            if parent.type in self.kinds["given"]:
                arguments = self.code.arguments(parent)
                inside = arguments is not None and arguments.start_byte <= node.start_byte < arguments.end_byte
                if inside and not blocked:
                    variable, fresh = self._given(parent, arguments, top, made)
                    if variable is not None:
                        names.insert(0, variable)
                    blocked, made = fresh is not None, fresh or made
            elif self._ends_names(parent, node):
                blocked = True
            elif not blocked and (name := self._named(parent, node)) is not None:
                if not made.beside and depth < _KINDS_WITHIN:
                    made = made._replace(beside=self._kinds_beside(parent))
                names[:0] = name
            elif not blocked and not names and _LIST.fullmatch(parent.type):
                made = made._replace(item=True)
            node = parent
        return made._replace(names=tuple(names))

    def _kinds_beside(self, pair: Any) -> tuple[str, ...]:  # noqa: ANN401
        """What is said beside a named value of its kind: ``dialect: 'mysql'``."""
        around = pair.parent
        if around is None or around.child_count > _MOST_BESIDE:
            return ()
        raw = [self.code.raw(child) for child in around.children if child.is_named and child != pair]
        return tuple(one for one in raw if len(one) < _LONGEST_KIND and _KIND.match(one))

    def _ends_names(self, parent: Any, node: Any) -> bool:  # noqa: ANN401
        """Whether what holds a string makes something else of it: a part that is asked for, a key, a sum, a type."""
        if _SUBSCRIPT.fullmatch(parent.type):
            return bool(parent.children[0] != node)
        if parent.child_by_field_name("key") == node or (parent.type in self._entries and parent.children[0] == node):
            return True  # a key is no value
        if parent.type in {"type", "command_substitution", "process_substitution", "subshell"}:
            return True
        if not _OPERATION.fullmatch(parent.type) or parent.type in self.kinds["assignments"]:
            return False
        signs = {child.type for child in parent.children if not child.is_named}
        return not signs & {*self.code.language.get("falls_back", ())}

    def _given(self, call: Any, arguments: Any, top: Any, made: Literal) -> tuple[str | None, Literal | None]:  # noqa: ANN401
        """What a call tells of its argument: the variable that it is the default of, and its place; nothing where the
        call gives the argument back.
        """
        given = [c for c in arguments.children if c.is_named and c.type not in PUNCTUATION] or [arguments]
        if len(given) == 1 and given[0].type == "list_expression":
            given = [c for c in given[0].children if c.is_named]
        here = next((n for n, c in enumerate(given) if c.end_byte >= top.end_byte), 0)
        called = self.code.callee(call)
        if (variable := self._falls_back_of(call, here)) is not None:
            return variable, made
        if len(given) == 1 and _GIVES_BACK.fullmatch(called):
            return None, None
        raw = tuple(self.code.raw(one)[:_LONGEST_LOOK_UP] for one in given)
        return None, made._replace(call=called, place=here, size=len(given), given=raw)

    def _falls_back_of(self, call: Any, place: int) -> str | None:  # noqa: ANN401
        """The variable that is looked up where a string is what counts without it."""
        raw = self.code.raw(call)
        if len(raw) > _LONGEST_LOOK_UP:
            return None
        looked = self.code.looked_up(raw, 0, 0) if place else None
        if looked is None and place == 0 and _OR_ELSE.search(raw):
            inner = call.children[0]
            while inner.children and looked is None:
                looked = self.code.looked_up(self.code.raw(inner), 0, 0)
                inner = inner.children[0]
        return None if looked is None else looked.variable

    def _named(self, parent: Any, node: Any) -> list[str] | None:  # noqa: ANN401
        """The name that a part of the program gives to what stands in it; None where it gives none."""
        falls_back = self.code.language.get("falls_back", ())
        signs = {c.type for c in parent.children if not c.is_named} if parent.child_count < _FEW else set[str]()
        if signs & {*falls_back} and parent.children[0] != node:
            looked = self.code.looked_up(self.code.raw(parent.children[0]), 0, 0)
            return None if looked is None or looked.variable is None else [looked.variable]
        if _NO_NAME.fullmatch(parent.type) and parent.type not in self.kinds["assignments"]:
            return None
        for left, right in _SIDES:
            held, named = parent.child_by_field_name(right), parent.child_by_field_name(left)
            if held is not None and named is not None and held.start_byte <= node.start_byte < held.end_byte:
                return self._words(named)
        known = self.kinds["assignments"] | self.kinds["elements"] | self.kinds["keyword"] | self.kinds["pairs"]
        if parent.type in known:
            named, held = self.code.sides(parent)
            if named is not None and held is not None and held.start_byte <= node.start_byte < held.end_byte:
                return self._words(named)
        if parent.type == "block" and parent.type in self.kinds["containers"]:  # a class names no value
            heads = [
                self.code.key(c).value or "" for c in parent.children if c.is_named and c.end_byte <= node.start_byte
            ]
            return [one for one in heads[:3] if len(one) < 100 and re.match(r"\w", one)] or None
        flag = node.prev_named_sibling
        while flag is not None and not self.code.raw(flag).strip():
            flag = flag.prev_named_sibling
        if "param" in parent.type:
            held = flag if flag is not None and flag.type == "parameter" else parent
            word = [c for c in held.children if c.type in {"identifier", "simple_identifier"}]
            return self._words(word[0 if held is flag else -1]) if word else None
        if flag is not None and (match := _FLAG.fullmatch(self.code.raw(flag))) is not None:
            return [match["name"]]
        arrow = node.prev_sibling  # lists in which an arrow makes a pair
        if arrow is not None and arrow.type in {"=>", "->"} and arrow.prev_sibling is not None:
            return self._words(arrow.prev_sibling)
        return None

    def _words(self, named: Any) -> list[str]:  # noqa: ANN401
        start, end = self.code.offsets.span(named)
        if self.text[start : start + 1] in {"'", '"', "`"}:
            return [self.code.key(named).value or ""]
        words = [(node.value or "") for node in self.code.path(self.text[start:end], start, end)]
        return [re.sub(r"^[^\w]+|[^\w]+$", "", word) for word in words]


_LETTERS = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ"


def _put_in(node: Any) -> Iterator[Any]:  # noqa: ANN401
    for child in node.children:
        if child.is_named and _PUT_IN.fullmatch(child.type) and not child.type.startswith("string"):
            yield child
        elif child.is_named and child.child_count:
            yield from _put_in(child)


def _last_word(raw: str) -> str:
    words = re.findall(r"\w+", raw[:200])
    return words[-1] if words else "x"


def _unescaped(raw: str) -> str:
    return re.sub(r"\\([\"'`\\])", r"\1", raw) if "\\" in raw else raw
