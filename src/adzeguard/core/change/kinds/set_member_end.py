"""A membership that the directory ends by itself ends at another time."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from pydantic import AwareDatetime

from adzeguard.core.change.change import UNDO_RULE, Change, Key, Order, Touched
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.estate.named import Named
from adzeguard.core.wording import when_utc


class SetMemberEnd(MembershipChange):
    """The member is expected to be listed, and listed afterwards with this end; `before` is the one that it had."""

    kind: Literal["set-member-end"] = "set-member-end"
    order: ClassVar[Order] = Order.SWITCH
    in_person: ClassVar[bool] = True
    moves_somebody: ClassVar[bool] = False
    ends: AwareDatetime | None
    """None for a membership without an end of its own."""
    before: AwareDatetime | None

    @property
    def key(self) -> Key:
        """When the membership ends."""
        return ("member-end", *super().key[1:])

    def claims(self) -> tuple[Key, ...]:
        """Nothing: the rule that put the member in still owns it."""
        return ()

    def in_words(self) -> str:
        """Return "let X be in Y until a moment"."""
        until = f"until {when_utc(self.ends)}" if self.ends is not None else "without an end of its own"
        return f"let {self.member.name} be in {self.group.name} {until}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return the end that it had before, unless that stands again."""
        if not isinstance(last, SetMemberEnd) or last.ends == self.before:
            return None
        ends = {"ends": self.before, "before": last.ends}
        return SetMemberEnd(group=self.group, member=self.member, rule=UNDO_RULE, why=self.undone_why(), **ends)

    def touches(self) -> Touched:
        """The group."""
        return Touched(frozenset({self.group.dn}))
