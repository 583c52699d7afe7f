"""What changes of one membership have in common."""

from collections.abc import Callable
from typing import ClassVar, Self

from pydantic import model_validator

from adzeguard.core.change.change import About, Change, Key
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid


class MembershipChange(Change):
    """A change about one group and one member."""

    moves_somebody: ClassVar[bool] = True
    """Whether the member comes in or goes out by it."""

    group: Named
    member: Named

    @property
    def sorts_under(self) -> str:
        """The group: what is done to one group stands together."""
        return self.group.name.casefold()

    @property
    def about(self) -> About:
        """The group and the member."""
        return About(self.group.name, self.member.name)

    @property
    def key(self) -> Key:
        """Whether the member is listed in the group."""
        return ("member", self.host_name.casefold(), self.group.key, self.member.key)

    def claims(self) -> tuple[Key, ...]:
        """The membership, under everything that either may have been known by."""
        host = self.host_name.casefold()
        return tuple(("member", host, group, member) for group in self.group.keys for member in self.member.keys)

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it with other identities of group and member."""
        group, member = renaming(self.group), renaming(self.member)
        same = (group, member) == (self.group, self.member)
        return self if same else self.model_copy(update={"group": group, "member": member})


class LocalMembershipChange(MembershipChange):
    """A change about one member of a local group of a host. Group and member have SIDs there."""

    host: str

    @model_validator(mode="after")
    def _has_sids(self) -> Self:
        if not (self.group.sid and self.member.sid):
            raise ValueError("a local group and its members have SIDs")
        return self

    @property
    def host_name(self) -> str:
        """The host that is written to."""
        return self.host

    @property
    def group_sid(self) -> Sid:
        """The local group."""
        return Sid(self.group.sid)

    @property
    def member_sid(self) -> Sid:
        """The member."""
        return Sid(self.member.sid)
