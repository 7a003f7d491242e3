"""Whether a name is one of a secret, and whether a value could be one: what only looks like it is told apart."""

from __future__ import annotations

import re

from ..catalog import is_store
from ..model.placeholders import is_placeholder
from ..model.suspicion import SECRET_WORD, sounds_secret

_REFERENCE = re.compile(
    r"[$%{<@!].*|(?:os|process|System|config|settings|self|args|ENV)[.\[].*|"
    r"true|false|error|warn|warning|none|null|nil|undefined|str|string|secret|optional|required|yes|no|on|off|include|omit|same-origin|"
    r"[a-z_]+(?::[\w,]+)?(?:\|[a-z_]+(?::[\w,]+)?)+|"  # the rules of a validator
    r"https?://[^@]*|0x[0-9a-f]+|q?d?word:.*|hex:.*|[:@/]?\*{2,}.?|v?\d+(?:\.\d+)+(?:[-+.]\w+)?|\d{1,4}|/.*|\.{1,2}/.*",
    re.IGNORECASE | re.DOTALL,
)
_BRACKETS = re.compile(r"[({\[]")
# a password with a bracket in it: no word or number alone within, before or behind it, as in a call or a pattern
_WITH_BRACKET = re.compile(
    r"(?=\S*\d)(?!.*[\w.>\])][(\[].*[)\]]\W*$)(?!.*\{[\w:,.]*\})(?!.*[\\^$*+?|]\S*[)\]])\S{8,64}"
)
_IDENTIFIER = re.compile(r"[a-z_]+(?:\.[a-z_]+)+|[a-z]+(?:_[a-z]+)*", re.IGNORECASE)
# what is kept instead of a password, and lets nobody in: crypt(3), PHC strings, LDAP's schemes, Django's, PostgreSQL's
_HASH = re.compile(
    r"\$(?:1|2[abxy]?|5|6|7|y|argon2\w*|scrypt|pbkdf2\S*)\$|\{[A-Z0-9-]{3,12}\}|(?:pbkdf2|bcrypt|argon2|scrypt)_\w+\$|"
    r"SCRAM-SHA|sha(?:1|256|512)[:$]|(?:[0-9a-f]{40}|[0-9a-f]{64}|[0-9a-f]{128})$|-----BEGIN (?:CERTIFICATE|PUBLIC)",
)
_PROSE = re.compile(r"[a-z,.:!?]\s+(?:[a-zA-Z]+[\s,.!?]+){1,}[a-zA-Z]+[.!?]?$|[a-z]{2,}[.!?:]$", re.IGNORECASE)
_SCHEME = re.compile(r"[a-z][a-z0-9+.-]{0,30}")
_NO_NAME = re.compile(r"::|[/\s]")
# what follows the word that says secret, and says that the value is something about it
_ABOUT = (
    "encryption encrypted encrypt policies "
    "type hint name field label url uri header param parameter file path dir class length len size min max policy "
    "format prompt state status version title text message msg error err help desc description placeholder id index "
    "count expires expiry expiration ttl timeout age algorithm alg algo encoding encoder hash hashed hasher hashing "
    "salt digest regex regexp pattern validator validation rule strength reset change changed confirm confirmation "
    "grant endpoint scope manager provider service store source backend handler module env var variable ref "
    "selector property attr attribute column icon input form view page dialog screen link route event action "
    "generator rotation mode verify check auth plugin method key_id keyid arn location template style color width "
    "required enabled disabled function func callback sql query table row list map types names fields files urls "
    "paths kind strategy prefix suffix separator scheme "
)
_ABOUT_WORDS = frozenset(_ABOUT.split())
_WORDS_OF = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+")
_PARTS = re.compile(r"[A-Z]+(?![a-z])|[A-Z]?[a-z]+|\d+")
# words that are a secret's name as a whole or within; others count as a whole word alone
_WITHIN = re.compile(
    r"passw|passph|pwd|secret|credential|storage_connection_string"
    r"|(?:api|access|private|account|scram|ssl|client|shared)[ _.-]?key",
    re.IGNORECASE,
)
_WHOLE = frozenset(
    ["pass", "pw", "psw", "dbpass", "userpass", "mypass", "rootpass", "mysqlpass", "pgpass", "smtppass", "ftppass"]
)
_TOKENS = frozenset(["token", "tokens", "authtoken", "accesstoken", "assertion"])
BOTH = re.compile(r"\w{1,40}:(?=[^\s/])")  # before the password, where both are the value of `credentials`
_LEAST_TOKEN = 16  # characters


def is_secret_name(name: str, value: str) -> bool:
    """Whether a name is one of a secret: by its words, since ``minipass`` and ``pass_count`` hold one by chance.

    Programs are full of tokens that are no secret: one counts where its value looks like one.
    """
    letters = re.sub(r"[\W_]", "", value).casefold()
    if letters == re.sub(r"[\W_]", "", name).casefold():
        return False
    if _WITHIN.search(name) is not None:
        return True
    parts = [word.casefold() for word in _PARTS.findall(name) if not word.isdigit()]
    if parts and parts[-1] in _WHOLE:
        return len(parts) < 3 or not value.isalpha()
    words = set(parts)
    looks = len(value) >= _LEAST_TOKEN and any(c.isdigit() for c in value) and any(c.isalpha() for c in value)
    return bool(words & _TOKENS) and looks


def names_no_secret(name: str) -> bool:
    """Whether a name speaks of a secret only to say something else: ``password_file``, ``Harbour::Credentials``."""
    if _NO_NAME.search(name):
        return True
    behind = re.split(SECRET_WORD, name, flags=re.IGNORECASE)[-1]
    behind = re.sub(r"^(?:word|wd|phrase|code)s?", "", behind, flags=re.IGNORECASE)
    words = [word.casefold() for word in _WORDS_OF.findall(behind)]
    last = words[-1] if words else ""
    return not _ABOUT_WORDS.isdisjoint((last, last.removesuffix("s"), last.removesuffix("es")))


def is_secret_value(value: str, *, quoted: bool, told: bool = False) -> bool:
    """Whether a value could be a secret: no placeholder, look-up, place of one, word of a program, or prose.

    What is ``told`` to be one by its place, as the argument of a call that connects, may be short or a plain word.
    """
    value = value.strip()
    if len(value) < (1 if told else 3) or is_placeholder(value) or _is_locator(value) or _HASH.match(value):
        return False
    if _REFERENCE.fullmatch(value) and not (told and value.isdigit()):
        return False
    if _BRACKETS.search(value) and not (told or (quoted and _WITH_BRACKET.fullmatch(value))):
        return False
    if not told and _IDENTIFIER.fullmatch(value) and sounds_secret(value):  # the name of another one
        return False
    if _PROSE.search(value) and not any(c.isdigit() for c in value):
        return False
    return quoted or _IDENTIFIER.fullmatch(value) is None or any(c.isdigit() for c in value)


def _is_locator(value: str) -> bool:
    """Whether a value says where a secret is kept: its scheme is that of a store."""
    scheme, colon, _ = value.partition(":")
    return bool(colon) and _SCHEME.fullmatch(scheme) is not None and is_store(scheme)
