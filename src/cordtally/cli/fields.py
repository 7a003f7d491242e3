"""What options and answers give as fields of a cord, and a cord that may be shown."""

from __future__ import annotations

from ..errors import FieldError, quoted
from ..model import MASK, Cord, Locator, Secret


def host_fields(given: tuple[str, ...]) -> dict[str, object]:
    """Give the fields for hosts as people write them: listed with commas, or one with its port behind a comma."""
    hosts = [host for text in given for host in text.split(",")]
    if len(hosts) == 2 and hosts[1].isdigit():  # SQL Server's own way
        return {"host": f"{hosts[0]}:{hosts[1]}"}
    return {"hosts": hosts} if len(hosts) > 1 else {"host": hosts[0] if hosts else None}


def option_fields(given: tuple[str, ...]) -> dict[str, str] | None:
    """Give the options of ``--option NAME=VALUE``; None where there is none."""
    made = {}
    for text in given:
        name, equals, value = text.partition("=")
        if not equals:
            raise FieldError(f"--option wants NAME=VALUE, like connect_timeout=5s; {quoted(name)} has no =")
        made[name] = value
    return made or None


def shown(cord: Cord) -> Cord:
    """Give a cord with a stand-in for a secret that is not fetched, since it will be masked."""
    return cord.copy_with(password=Secret(MASK)) if isinstance(cord.password, Locator) else cord
