"""Which part of the fleet a source of hosts looks after: the first part that takes a host decides."""

from collections.abc import Sequence
from fnmatch import fnmatchcase

from adzeguard.core.estate.hosts import Host
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class FleetPart:
    """Hosts below OUs, or of certain names; narrowed by the operating system; less those that are excepted.

    Patterns know `*`, `?` and `[…]`, and no case. A part that says neither OU nor name takes every host.
    """

    under: Sequence[str] = ()
    named: Sequence[str] = ()
    excepted: Sequence[str] = ()
    system: Sequence[str] = ()
    """The operating system as the directory tells it; a host of which it tells none is of no system."""

    def takes(self, host: Host) -> bool:
        """Tell whether a host belongs to this part."""
        if _matches(host.name, self.excepted) or (self.system and not _matches(host.system, self.system)):
            return False
        somewhere = bool(self.under or self.named)
        return not somewhere or _matches(host.name, self.named) or any(_lies_under(host.dn, ou) for ou in self.under)


def _matches(text: str, patterns: Sequence[str]) -> bool:
    folded = text.casefold()
    return any(fnmatchcase(folded, pattern.casefold()) for pattern in patterns)


def _lies_under(dn: str, ou: str) -> bool:
    """The base may be left off an OU, and is then that of the host itself."""
    container, wanted = parent_dn(fold_dn(dn)), fold_dn(ou)
    base = container[container.index(",dc=") + 1 :] if ",dc=" in container else container
    if not wanted.endswith(base):
        wanted = f"{wanted},{base}"
    return container == wanted or container.endswith(f",{wanted}")
