"""A part of a proposal: its changes of some hosts, to see how it goes before all are touched."""

from collections.abc import Iterable, Sequence
from fnmatch import fnmatchcase

from adzeguard.core.change.change import Change
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Part:
    """Which hosts: the first ones by name, so many of a hundred, or those of some names. Together they narrow."""

    first: int | None = None
    percent: int | None = None
    patterns: Sequence[str] = ()

    @property
    def is_whole(self) -> bool:
        """Whether nothing is left out."""
        return self.first is None and self.percent is None and not self.patterns

    def hosts_of(self, changes: Iterable[Change]) -> list[str]:
        """Return the names of the hosts that are meant, of those that are touched, in their order."""
        touched = sorted({change.host_name for change in changes if change.host_name}, key=str.casefold)
        wanted = [name for name in touched if not self.patterns or self._is_named(name)]
        if self.percent is not None:
            wanted = wanted[: -(-len(wanted) * self.percent // 100)]
        return wanted[: self.first]

    def of(self, changes: Sequence[Change]) -> tuple[Change, ...]:
        """Return the changes of those hosts alone; what is done in the directory touches all hosts, and is left."""
        hosts = set(self.hosts_of(changes))
        return tuple(change for change in changes if change.host_name in hosts)

    def _is_named(self, name: str) -> bool:
        return any(fnmatchcase(name.casefold(), pattern.casefold()) for pattern in self.patterns)
