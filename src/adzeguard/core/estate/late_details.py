"""Details of objects that are read when somebody looks at them: of a million objects few are shown in full."""

from collections.abc import Iterator, Mapping
from typing import Any, Final, Protocol

from adzeguard.core.estate.rows import NEVER

TIMES: Final = ("created", "last_logon", "password_set", "expires")
"""The keys of times, in seconds since 1970; one that is not known or never came has no key."""


class DetailsOfMany(Protocol):
    """What reads the details of several objects at once, each by its place among them."""

    def time(self, place: int, key: str) -> int:
        """Return one of `TIMES`, or `NEVER`."""

    def others(self, place: int) -> Mapping[str, Any]:
        """Return what else is known."""


class LateDetails(Mapping[str, Any]):
    """The details of one object. The times come without the rest."""

    __slots__ = ("_many", "_place")

    def __init__(self, many: DetailsOfMany, place: int) -> None:
        self._many = many
        self._place = place

    def __getitem__(self, key: str) -> Any:
        if key not in TIMES:
            return self._many.others(self._place)[key]
        time = self._many.time(self._place, key)
        if time == NEVER:
            raise KeyError(key)
        return time

    def __iter__(self) -> Iterator[str]:
        yield from self._many.others(self._place)
        yield from (key for key in TIMES if self._many.time(self._place, key) != NEVER)

    def __len__(self) -> int:
        return sum(1 for _ in self)

    def __repr__(self) -> str:
        return repr(dict(self))
