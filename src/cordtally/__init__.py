"""Cord Tally: compose, read, vet and convert database connection strings, and keep their secrets out of source.

Everything is reached from here, and nothing is loaded before it is asked for.

>>> import cordtally as ct
>>> ct.convert("postgresql://gauge.greywick.example/tides", to="pgjdbc").text
MaskedText('jdbc:postgresql://gauge.greywick.example/tides')
"""

from __future__ import annotations

TYPE_CHECKING = False  # type checkers take it as true; nothing is imported for it
if TYPE_CHECKING:
    from .auditing import vet as vet
    from .catalog import drivers as drivers
    from .comparing import Comparison as Comparison
    from .comparing import compare as compare
    from .composing import change_wallet as change_wallet
    from .composing import compose as compose
    from .composing import parse_locator as parse_locator
    from .dialing import DialResult as DialResult
    from .dialing import dial as dial
    from .dialing import dial_async as dial_async
    from .errors import AmbiguousText as AmbiguousText
    from .errors import CatalogError as CatalogError
    from .errors import CordTallyError as CordTallyError
    from .errors import FieldError as FieldError
    from .errors import LocatorError as LocatorError
    from .errors import LookUpError as LookUpError
    from .errors import MissingExtra as MissingExtra
    from .errors import PoolModelError as PoolModelError
    from .errors import RecordError as RecordError
    from .errors import ServerError as ServerError
    from .errors import TallyError as TallyError
    from .errors import TextError as TextError
    from .errors import UnknownName as UnknownName
    from .exchange import Ledger as Ledger
    from .exchange import Outcome as Outcome
    from .exchange import Reading as Reading
    from .exchange import Writing as Writing
    from .exchange import convert as convert
    from .exchange import read as read
    from .exchange import write as write
    from .lifting import lift as lift
    from .lookups import Resolution as Resolution
    from .lookups import resolve as resolve
    from .model import Authentication as Authentication
    from .model import AuthenticationMethod as AuthenticationMethod
    from .model import ByteSize as ByteSize
    from .model import Cord as Cord
    from .model import Discovery as Discovery
    from .model import DiscoveryKind as DiscoveryKind
    from .model import Duration as Duration
    from .model import Host as Host
    from .model import Locator as Locator
    from .model import MaskedText as MaskedText
    from .model import Secret as Secret
    from .model import Tls as Tls
    from .model import TlsLevel as TlsLevel
    from .pooling import Contention as Contention
    from .pooling import PoolLoad as PoolLoad
    from .pooling import size_pool as size_pool
    from .secrets import arguments_for as arguments_for
    from .secrets import async_opener_for as async_opener_for
    from .secrets import environment_for as environment_for
    from .secrets import fetch as fetch
    from .secrets import log_in_of as log_in_of
    from .secrets import opener_for as opener_for
    from .secrets import text_for as text_for
    from .sweeping import sweep as sweep
    from .sweeping import sweep_history as sweep_history
    from .sweeping import take_inventory as take_inventory
    from .tally import Tally as Tally
    from .tally import load as load
    from .vetting import Finding as Finding
    from .vetting import Findings as Findings
    from .vetting import RuleId as RuleId
    from .vetting import Severity as Severity

__version__ = "0.1.0"
_HOME = {
    **dict.fromkeys(("vet",), ".auditing"),
    **dict.fromkeys(("drivers",), ".catalog"),
    **dict.fromkeys(
        (
            "Comparison",
            "compare",
        ),
        ".comparing",
    ),
    **dict.fromkeys(
        (
            "change_wallet",
            "compose",
            "fill_in",
            "parse_locator",
        ),
        ".composing",
    ),
    **dict.fromkeys(
        (
            "DialResult",
            "dial",
            "dial_async",
        ),
        ".dialing",
    ),
    **dict.fromkeys(
        (
            "AmbiguousText",
            "CatalogError",
            "CordTallyError",
            "FieldError",
            "LocatorError",
            "LookUpError",
            "MissingExtra",
            "PoolModelError",
            "RecordError",
            "ServerError",
            "TallyError",
            "TextError",
            "UnknownName",
        ),
        ".errors",
    ),
    **dict.fromkeys(
        (
            "Ledger",
            "Outcome",
            "Reading",
            "Writing",
            "convert",
            "read",
            "write",
        ),
        ".exchange",
    ),
    **dict.fromkeys(
        (
            "Resolution",
            "resolve",
        ),
        ".lookups",
    ),
    **dict.fromkeys(
        (
            "Authentication",
            "AuthenticationMethod",
            "ByteSize",
            "Cord",
            "Discovery",
            "DiscoveryKind",
            "Duration",
            "Host",
            "Locator",
            "MaskedText",
            "Secret",
            "Tls",
            "TlsLevel",
        ),
        ".model",
    ),
    **dict.fromkeys(
        (
            "Contention",
            "PoolLoad",
            "size_pool",
        ),
        ".pooling",
    ),
    **dict.fromkeys(
        (
            "arguments_for",
            "async_opener_for",
            "text_for",
            "fetch",
            "environment_for",
            "opener_for",
            "log_in_of",
        ),
        ".secrets",
    ),
    **dict.fromkeys(("lift",), ".lifting"),
    **dict.fromkeys(("sweep", "sweep_history", "take_inventory"), ".sweeping"),
    **dict.fromkeys(
        (
            "Tally",
            "load",
        ),
        ".tally",
    ),
    **dict.fromkeys(
        (
            "Finding",
            "Findings",
            "RuleId",
            "Severity",
        ),
        ".vetting",
    ),
}
__all__ = sorted([*_HOME, "__version__"])  # noqa: PLE0605 -- a sorted list is a list


def __getattr__(name: str) -> object:
    if name not in _HOME:
        raise AttributeError(f"module {__name__!r} has no attribute {name!r}")
    from importlib import import_module

    value = globals()[name] = getattr(import_module(_HOME[name], __name__), name)
    return value


def __dir__() -> list[str]:
    return __all__
