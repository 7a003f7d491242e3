"""Records: names with values, fixed once they are made.

A dataclass in all but its making: for each of those Python writes and compiles several methods at import, which for the
facts and flags that a reading needs takes longer than the reading itself. What users are given is made of dataclasses.
"""

from __future__ import annotations

TYPE_CHECKING = False  # type checkers take it as true; `typing` is not loaded for it
if TYPE_CHECKING:
    from typing import Self, dataclass_transform
else:
    dataclass_transform = lambda **_: lambda cls: cls  # noqa: E731 -- only type checkers ask for it


@dataclass_transform(kw_only_default=True, frozen_default=True)
class Record:
    """Names with values; what is not given has the value that stands in the class. Compared by identity."""

    def __init__(self, **given: object) -> None:
        self.__dict__.update(given)

    def __setattr__(self, name: str, value: object) -> None:
        raise AttributeError(f"{type(self).__name__}.{name}: a record does not change")

    def __repr__(self) -> str:
        return f"{type(self).__name__}({', '.join(f'{name}={value!r}' for name, value in vars(self).items())})"

    def changed(self, **changes: object) -> Self:
        """Make a record with some other values."""
        return type(self)(**{**vars(self), **changes})
