"""Looks whether the secrets of a tally are there: each locator once, with the cords that name it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from ..errors import CordTallyError
from ..model import Locator
from ..secrets import Described, Surroundings, describe, fetch
from .tally import Tally


@dataclass(frozen=True, slots=True, kw_only=True)
class CheckedSecret:
    """A locator, the cords that name it, what its store tells, and what is wrong, if anything.

    Whoever would have to be asked is not: such a secret is not ``known`` to be there.
    """

    locator: str
    cords: tuple[str, ...]
    known: bool
    told: Described | None = None
    problem: str | None = None

    def to_dict(self) -> dict[str, object]:
        """Give it with the keys of the machine output."""
        told = self.told or Described("")
        return {
            "locator": self.locator,
            "cords": list(self.cords),
            "known": self.known,
            "where": told.where or None,
            "changed": told.changed,
            "expires": told.expires,
            "others_may_read": told.others_may_read,
            "problem": self.problem,
        }


def check_secrets(
    tally: Tally, surroundings: Surroundings | None = None, *, tracked: Callable[[Path], bool] = lambda _: False
) -> list[CheckedSecret]:
    """Fetch each secret that a tally names, in each environment, and tell of it.

    Parameters
    ----------
    tally : Tally
        The tally.
    surroundings : Surroundings, optional
        How secrets are fetched.
    tracked : callable
        Says of a file that holds secrets in clear whether version control keeps it.

    Raises
    ------
    TallyError
        When a cord of it cannot be meant.
    """
    around = surroundings or Surroundings(folder=tally.folder)
    named: dict[Locator, list[str]] = {}
    for name in tally.names():
        for environment in (None, *tally.environments):
            if environment is None or name in tally.environments[environment]:
                one = tally.resolve(name, environment=environment)
                for kept in (one.cord.user, one.cord.password):
                    if isinstance(kept, Locator):
                        named.setdefault(kept, []).append(one.title)
    return [_checked(locator, tuple(cords), around, tracked) for locator, cords in named.items()]


def _checked(
    locator: Locator, cords: tuple[str, ...], around: Surroundings, tracked: Callable[[Path], bool]
) -> CheckedSecret:
    if locator.scheme == "ask":
        return CheckedSecret(locator=str(locator), cords=cords, known=False, told=describe(locator, around))
    try:
        secret = fetch(locator, around)
        told = describe(locator, around)
    except CordTallyError as error:
        problem = str(error).partition("\n")[0].removeprefix(f"{locator.scheme}: ")
        return CheckedSecret(locator=str(locator), cords=cords, known=False, problem=problem)
    if not secret.unmask():
        return CheckedSecret(locator=str(locator), cords=cords, known=True, told=told, problem="it is empty")
    risks = ["others on this machine may read it: chmod 600, and see whose it is"] if told.others_may_read else []
    if told.file is not None and tracked(Path(told.file)):
        risks.append("git keeps its file: git rm --cached, then another password")
    risk = "; ".join(risks) or None
    return CheckedSecret(locator=str(locator), cords=cords, known=True, told=told, problem=risk)
