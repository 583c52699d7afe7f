"""Somebody is taken out of a group of the directory."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Order, Touched
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.estate.named import Named


class RemoveMember(MembershipChange):
    """The member is expected to be listed, and absent afterwards."""

    kind: Literal["remove-member"] = "remove-member"
    order: ClassVar[Order] = Order.REMOVE
    takes_access_away: ClassVar[bool] = True
    removes_member: ClassVar[bool] = True

    def in_words(self) -> str:
        """Return "remove X from Y"."""
        return f"remove {self.member.name} from {self.group.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the addition, unless somebody was put in again since."""
        if not isinstance(last, RemoveMember):
            return None
        return AddMember(group=self.group, member=self.member, rule=UNDO_RULE, why=self.undone_why())

    def foresee(self, effects: Effects) -> None:
        """The group does not list the member."""
        group, member = effects.id_of(self.group), effects.id_of(self.member)
        if group is not None and member is not None:
            effects.lost[group].add(member)

    def touches(self) -> Touched:
        """The group."""
        return Touched(frozenset({self.group.dn}))
