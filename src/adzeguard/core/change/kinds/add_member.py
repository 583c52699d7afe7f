"""Somebody is put into a group of the directory, or taken out."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Effects, Key, Order, Touched
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.estate.named import Named


class AddMember(MembershipChange):
    """The member is expected to be absent, and listed afterwards."""

    kind: Literal["add-member"] = "add-member"
    order: ClassVar[Order] = Order.ADD

    def in_words(self) -> str:
        """Return "add X to Y"."""
        return f"add {self.member.name} to {self.group.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the removal, unless somebody was taken out again since."""
        if not isinstance(last, AddMember):
            return None
        return RemoveMember(group=self.group, member=self.member, rule=UNDO_RULE, why=self.undone_why())

    def foresee(self, effects: Effects) -> None:
        """The group lists the member."""
        effects.put_in(self.group, self.member)

    def touches(self) -> Touched:
        """The group."""
        return Touched(frozenset({self.group.dn}))

    def puts_in(self) -> tuple[Key, ...]:
        """The membership."""
        return self.claims()[:1]

    def removal(self, why: str) -> Change:
        """Return the change that takes the member out again, under the same rule."""
        return RemoveMember(group=self.group, member=self.member, rule=self.rule, why=why)


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
