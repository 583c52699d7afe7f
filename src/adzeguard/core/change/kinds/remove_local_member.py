"""Somebody is taken out of a local group of a host."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Order
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.estate.capabilities import LOCAL_GROUPS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.wellknown import ADMINISTRATORS


class RemoveLocalMember(LocalMembershipChange):
    """The member is expected to be an entry of the group, and absent afterwards."""

    kind: Literal["remove-local-member"] = "remove-local-member"
    order: ClassVar[Order] = Order.REMOVE
    needs: ClassVar[str] = LOCAL_GROUPS.name
    takes_access_away: ClassVar[bool] = True
    removes_member: ClassVar[bool] = True

    def in_words(self) -> str:
        """Return "remove X from Y"."""
        return f"remove {self.member.name} from {self.group.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the addition, unless somebody was put in again since."""
        if not isinstance(last, RemoveLocalMember):
            return None
        return AddLocalMember(
            host=self.host, group=self.group, member=self.member, rule=UNDO_RULE, why=self.undone_why()
        )

    def foresee(self, effects: Effects) -> None:
        """The member is no local administrator any more, if that is the group."""
        if self.group.sid == ADMINISTRATORS:
            effects.host_lost[self.host.casefold()].add(self.member_sid)

    def stands(self, state: HostState) -> bool | None:
        """Tell whether a host is as wanted; nothing where it has no such group."""
        group = state.group(self.group_sid)
        return None if group is None else self.member_sid not in group.members
