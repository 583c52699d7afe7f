"""What resolved rules about settings of hosts have in common."""

from collections.abc import Iterable

from adzeguard.core.charter.host_scope import ResolvedScope
from adzeguard.core.charter.references import LocalName, Reference
from adzeguard.core.charter.rule import Resolved
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass


@dataclass(frozen=True)
class ResolvedSetting(Resolved):
    """A rule about a setting of hosts, with its hosts found."""

    scope: ResolvedScope

    @property
    def listed(self) -> Iterable[Reference]:
        """Everybody that it names."""
        return ()

    def unknown_on(self, state: HostState) -> list[str]:
        """Return the names of a host's own that it uses and this host does not know."""
        return [one.name for one in self.listed if isinstance(one, LocalName) and one.on(state) is None]


def sids_on(references: Iterable[Reference], state: HostState) -> frozenset[Sid]:
    """Return what names stand for on one host; those that it does not know are left out."""
    found = (one.on(state) if isinstance(one, LocalName) else one.sid for one in references)
    return frozenset(Sid(sid) for sid in found if sid)
