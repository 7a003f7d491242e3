"""The last three rungs for MySQL and MariaDB, through PyMySQL."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from ..errors import MissingExtra
from ..model import Cord, Host
from ..secrets import arguments_for
from .network import ask_mysql
from .postgresql import DatabaseBroke
from .rungs import Diagnosis, RungBroke

if TYPE_CHECKING:
    from pymysql.connections import Connection

DRIVER = "pymysql"
upgrade = ask_mysql

_CODES = {
    1045: ("log in", Diagnosis(
        "the server does not accept user, password and the host that you come from together",
        "check all three: accounts are user@host here")),
    1698: ("log in", Diagnosis(
        "the account logs in through the operating system, not with a password", "use another account")),
    1130: ("log in", Diagnosis(
        "no account may log in from this machine", "CREATE USER …@'this address' on the server")),
    1040: ("log in", Diagnosis(
        "the server has no free connection left", "shrink the pools (cordtally pool size), or raise max_connections")),
    1203: ("log in", Diagnosis(
        "this user has all the connections it may have", "shrink its pools")),
    1129: ("log in", Diagnosis(
        "the server blocks this machine after many failed attempts", "FLUSH HOSTS on the server")),
    3159: ("log in", Diagnosis(
        "the server lets nobody in without TLS", "ask for TLS: verify-identity")),
    1049: ("database", Diagnosis(
        "the user is let in, and the database does not exist there", "check its name, or create it")),
    1044: ("database", Diagnosis(
        "the user may not use this database", "GRANT … ON the database TO the user")),
    2003: ("log in", Diagnosis(
        "the connection was lost on the way", "dial again; look into the server's log")),
    2013: ("log in", Diagnosis(
        "the server hung up during log-in", "look into the server's log")),
}  # fmt: skip


def socket_name(host: Host) -> str:
    """The socket is a file of its own here."""
    return host.address


def log_in(cord: Cord, limit: float) -> Connection[Any]:
    """Connect through the driver; what it says is turned into a cause and never quoted.

    Raises
    ------
    RungBroke
        With the cause; its rung is ``log in`` or ``database``.
    MissingExtra
        When PyMySQL is not installed.
    """
    try:
        import pymysql
    except ImportError:
        raise MissingExtra("PyMySQL", "mysql", "dialling MySQL and MariaDB") from None
    arguments = arguments_for(cord, DRIVER)
    arguments.setdefault("connect_timeout", max(1, round(limit)))
    arguments.setdefault("read_timeout", max(1, round(limit)))
    try:
        connect: Callable[..., Connection[Any]] = pymysql.connect
        return connect(**arguments)
    except (pymysql.Error, UnicodeError, RuntimeError) as error:
        code = error.args[0] if error.args else None
        rung, diagnosis = _CODES.get(
            code if isinstance(code, int) else 0,
            (
                "log in",
                Diagnosis(f"the server or the driver refused (error {code!r:.12})", "look into the server's log"),
            ),
        )
        raise (DatabaseBroke if rung == "database" else RungBroke)(diagnosis) from None


def answer(connection: Connection[Any]) -> str:
    """Ask the server who it is and whom it sees."""
    with connection, connection.cursor() as cursor:
        cursor.execute("SELECT version(), current_user(), database()")
        version, user, database = cursor.fetchone() or ("?", "?", "?")
    product = "MariaDB" if "mariadb" in str(version).lower() else "MySQL"
    return f"{product} {str(version).partition('-')[0]}, user {user}, database {database or 'none'}"
