"""Somebody is put into a local group of a host, or taken out."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.estate.capabilities import LOCAL_GROUPS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.wellknown import ADMINISTRATORS


class AddLocalMember(LocalMembershipChange):
    """The member is expected to be absent, and an entry of the group afterwards."""

    kind: Literal["add-local-member"] = "add-local-member"
    order: ClassVar[Order] = Order.ADD
    needs: ClassVar[str] = LOCAL_GROUPS.name

    def in_words(self) -> str:
        """Return "add X to Y"."""
        return f"add {self.member.name} to {self.group.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the removal, unless somebody was taken out again since."""
        return self.removal(self.undone_why(), UNDO_RULE) if isinstance(last, AddLocalMember) else None

    def removal(self, why: str, rule: str = "") -> Change:
        """Return the change that takes the member out again, under the same rule or another."""
        return RemoveLocalMember(host=self.host, group=self.group, member=self.member, rule=rule or self.rule, why=why)

    def foresee(self, effects: Effects) -> None:
        """The member is a local administrator, if that is the group."""
        if self.group.sid == ADMINISTRATORS:
            effects.host_gained[self.host.casefold()].add(self.member_sid)

    def puts_in(self) -> tuple[Key, ...]:
        """The entry."""
        return self.claims()[:1]

    def stands(self, state: HostState) -> bool | None:
        """Tell whether a host is as wanted; None if it has no such group."""
        group = state.group(self.group_sid)
        return None if group is None else self.member_sid in group.members


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
        """Tell whether a host is as wanted; None if it has no such group."""
        group = state.group(self.group_sid)
        return None if group is None else self.member_sid not in group.members
