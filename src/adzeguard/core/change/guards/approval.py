"""What the workspace names needs somebody else's yes."""

from collections.abc import Iterator
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from fnmatch import fnmatchcase
from typing import TYPE_CHECKING, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.kinds.object_change import ObjectChange
from adzeguard.core.change.kinds.set_note import SetNote
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import id_of

if TYPE_CHECKING:
    from adzeguard.core.change.guards.case import Case

_SHOWN: Final = 5
WAY_OUT: Final = (
    "Propose it into a file (--only-propose FILE), let somebody else run: adzeguard approve FILE, then: adzeguard enact"
    " FILE"
)


@dataclass(frozen=True, slots=True)
class ApprovalNeeds:
    """For what somebody else must say yes: groups, by the ids of objects; hosts, by patterns of names; kinds."""

    groups: AbstractSet[int] = frozenset()
    hosts: tuple[str, ...] = ()
    kinds: AbstractSet[str] = frozenset()

    def why(self, estate: Estate, change: Change) -> str:
        """Return why a change needs a yes; nothing where it needs none."""
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


def lacking_approval(case: "Case") -> Iterator[str]:
    """Yield why the changes must wait for somebody else's yes, once for each reason."""
    if case.approved_by or case.approval == NO_NEEDS:
        return
    waiting: dict[str, list[str]] = {}
    for change in case.changes:
        why = case.approval.why(case.estate, change)
        if why:
            waiting.setdefault(why, []).append(change.id)
    for why, ids in list(waiting.items())[:_SHOWN]:
        more = f" and {len(ids) - 1} more" if len(ids) > 1 else ""
        yield f"{why} need somebody else's yes ({ids[0]}{more}). {WAY_OUT}"
    if len(waiting) > _SHOWN:
        yield f"and {len(waiting) - _SHOWN} other reasons for which somebody else must say yes"
