"""Another group becomes somebody's primary group ([MS-SAMR] 3.1.5.14.5)."""

from collections.abc import Mapping
from typing import ClassVar, Literal

from adzeguard.core.change.change import UNDO_RULE, Change, Key, Order, Touched
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid


class SetPrimaryGroup(MembershipChange):
    """`group` becomes the primary group of `member`; `before` is the SID of the primary group that is expected.

    When a directory switches the primary group, it lists the account in the old one.
    """

    kind: Literal["set-primary-group"] = "set-primary-group"
    before: str
    order: ClassVar[Order] = Order.SWITCH

    @property
    def key(self) -> Key:
        """Which group is the primary one of the member."""
        return ("primary", "", "", self.member.key)

    @property
    def expected(self) -> Sid:
        """The primary group that is expected before."""
        return Sid.parse(self.before)

    def in_words(self) -> str:
        """Return "make Y the primary group of X"."""
        return f"make {self.group.name} the primary group of {self.member.name}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:
        """Return the switch back, unless it was switched back since."""
        if not isinstance(last, SetPrimaryGroup) or last.group.sid == self.before:
            return None
        former = groups.get(self.before, Named(self.before, self.before))
        return SetPrimaryGroup(
            group=former, member=self.member, before=last.group.sid, rule=UNDO_RULE, why=self.undone_why()
        )

    def touches(self) -> Touched:
        """The group, and the account that names its primary group."""
        return Touched(frozenset({self.group.dn, self.member.dn}))

    def claims(self) -> tuple[Key, ...]:
        """Nothing: no rule asks for a primary group."""
        return ()
