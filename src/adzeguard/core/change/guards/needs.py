"""For what somebody else must say yes."""

from collections.abc import Set as AbstractSet
from fnmatch import fnmatchcase
from typing import Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.kinds.set_note import SetNote
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import id_of
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class ApprovalNeeds:
    """For what somebody else must say yes: groups, by the ids of objects; hosts, by patterns of names; kinds."""

    groups: AbstractSet[int] = frozenset()
    hosts: tuple[str, ...] = ()
    kinds: AbstractSet[str] = frozenset()

    def why(self, estate: Estate, change: Change) -> str:
        """Return why a change needs a yes; an empty text if it needs none."""
        if isinstance(change, SetNote) and not change.widens:
            return ""
        named_kind = next((kind for kind in (change.kind, change.counts_as) if kind in self.kinds), "")
        if named_kind:
            return f"changes of the kind {named_kind}"
        host = change.on_host if isinstance(change, SetNote) else change.host_name
        if host and any(fnmatchcase(host.casefold(), pattern.casefold()) for pattern in self.hosts):
            return f"changes of {host}"
        named = self._group(estate, change) if self.groups and not host else None
        return f"changes of {estate.principal(named).qualified_name}" if named is not None else ""

    def _group(self, estate: Estate, change: Change) -> int | None:
        """Return the named group that is changed: itself, or by somebody in a group that leads into it."""
        if isinstance(change, SetNote):
            changed = id_of(estate, change.group) if change.group is not None else None
        elif isinstance(change, MembershipChange):
            changed = id_of(estate, change.group)
        elif isinstance(change, ObjectChange):
            changed = id_of(estate, change.object)
        else:
            return None
        if changed is None:
            return None
        if changed in self.groups:
            return changed
        if not isinstance(change, MembershipChange | SetNote) or estate.graph.position_of(changed) is None:
            return None
        return next((one for one in estate.graph.effective_groups(changed).tolist() if one in self.groups), None)


NO_NEEDS: Final = ApprovalNeeds()
