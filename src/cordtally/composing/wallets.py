"""Turns mutual TLS with a wallet into one-way TLS and back: what changes is the wallet, the port and the protocol."""

from __future__ import annotations

from dataclasses import replace

from ..catalog import load_engine
from ..errors import FieldError
from ..exchange import Ledger, LedgerLine, Outcome
from ..model import Cord, Tls, TlsLevel
from ..model.suspicion import clear_name

_WALLET = ("wallet_location", "wallet_password")


def change_wallet(cord: Cord, wallet: str | None, *, port: int | None = None) -> tuple[Cord, Ledger]:
    """Give the cord with mutual TLS by the wallet in a folder, or with one-way TLS where the wallet is None.

    One-way TLS trusts the system's authorities; servers offer it on a port of its own, so it has to be stated unless
    the cord names none. TLS is on in both, and a level below verify-identity is raised to it.

    Raises
    ------
    FieldError
        When the cord is not for Oracle Database.
    """
    if not load_engine(cord.engine).wallets:
        raise FieldError("only connections to Oracle Database have wallets")
    options = {k: v for k, v in cord.options if k not in _WALLET}
    lines = []
    before = dict(cord.options)
    for name in _WALLET:
        if name in before and wallet is None:
            reason = "one-way TLS needs no wallet: the system's authorities are trusted"
            lines.append(LedgerLine(f"options.{name}", f"{name}={before[name]}", None, Outcome.DROPPED, reason))
    if wallet is not None:
        options["wallet_location"] = wallet
        reason = "mutual TLS: the wallet holds the client's certificate"
        lines.append(LedgerLine("options.wallet_location", None, f"wallet_location={wallet}", Outcome.ADDED, reason))
    level = cord.tls.level
    if level is not TlsLevel.VERIFY_IDENTITY:
        said = None if level is None else level.value
        reason = "the protocol becomes tcps, and the server's name is compared with its certificate"
        lines.append(LedgerLine("tls.level", said, TlsLevel.VERIFY_IDENTITY.value, Outcome.ADDED, reason))
    hosts = cord.hosts
    if port is not None:
        hosts = tuple(replace(host, port=port) for host in hosts)
        for old in cord.hosts:
            reason = "the other kind of TLS listens there"
            lines.append(LedgerLine("port", str(old.port or ""), str(port), Outcome.REWORDED, reason))
    elif hosts:
        ports = ", ".join(sorted({str(h.port or "the default") for h in hosts}))
        reason = "kept: check that this port speaks the other kind of TLS, or give its own"
        lines.append(LedgerLine("port", ports, ports, Outcome.IMPLIED, reason))
    tls = Tls(TlsLevel.VERIFY_IDENTITY, cord.tls.ca)
    native = {k: v for k, v in cord.native if not clear_name(k).upper().endswith("/PROTOCOL")}
    return cord.copy_with(hosts=hosts, tls=tls, options=options, native=native), Ledger(tuple(lines))
