"""Which passwords a driver can carry: named checks that the catalog's ``password_charset`` refers to."""

from __future__ import annotations

from collections.abc import Callable, Mapping


def passes_saslprep(text: str) -> bool:
    """Whether SASLprep (RFC 4013, stored strings) takes every character: assigned in Unicode 3.2, and no control."""
    import stringprep

    refused = (
        stringprep.in_table_a1,
        stringprep.in_table_c21_c22,
        stringprep.in_table_c3,
        stringprep.in_table_c4,
        stringprep.in_table_c5,
        stringprep.in_table_c6,
        stringprep.in_table_c7,
        stringprep.in_table_c8,
        stringprep.in_table_c9,
    )
    return (text.isascii() and text.isprintable()) or not any(check(c) for c in text for check in refused)


CHARSETS: Mapping[str, Callable[[str], bool]] = {
    "ascii": str.isascii,
    "saslprep": passes_saslprep,
    "basic": lambda text: ":" not in text,
}
