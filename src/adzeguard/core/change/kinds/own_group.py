"""A group of a host itself is made, or deleted."""

from collections.abc import Callable, Mapping
from typing import Annotated, ClassVar, Literal, Self

from pydantic import AfterValidator, Field

from adzeguard.core.change.change import UNDO_RULE, About, Change, Key, Order
from adzeguard.core.change.kinds.host_setting import HostSettingChange
from adzeguard.core.estate.capabilities import OWN_ACCOUNTS
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.wellknown import LOCAL_GROUPS

_FORBIDDEN = frozenset('"/\\[]:|<>+=;,?*@')
"""What the name of a local group may not hold ([MS-SAMR] 3.1.1.8.4)."""
_LONGEST = 256


def _is_name(name: str) -> str:
    if not name.strip(" .") or name != name.strip() or not name.isprintable() or set(name) & _FORBIDDEN:
        raise ValueError(f"'{name}' cannot be the name of a local group")
    if name.casefold() in LOCAL_GROUPS:
        raise ValueError(f"every host has its {name}; that one is not made or deleted")
    return name


class _OfOwnGroup(HostSettingChange):
    group: Annotated[str, Field(max_length=_LONGEST), AfterValidator(_is_name)]
    members: tuple[Named, ...] = ()
    needs: ClassVar[str] = OWN_ACCOUNTS.name

    @property
    def key(self) -> Key:
        """Whether the host has a group of this name."""
        return ("own-group", self.host.casefold(), self.group.casefold())

    @property
    def about(self) -> About:
        """The group."""
        return About(group=rf"{self.host}\{self.group}")

    def renamed(self, renaming: Callable[[Named], Named]) -> Self:
        """Return it with other identities of its members."""
        members = tuple(renaming(member) for member in self.members)
        return self if members == self.members else self.model_copy(update={"members": members})

    def _inside(self, state: HostState) -> set[str] | None:
        found = state.group_named(self.group)
        return None if found is None else {str(sid) for sid in found.members}


class MakeOwnGroup(_OfOwnGroup):
    """The host is expected to have no group of this name, and has it with these members afterwards."""

    kind: Literal["make-own-group"] = "make-own-group"
    order: ClassVar[Order] = Order.MAKE

    def in_words(self) -> str:
        """Return "make the local group X"."""
        many = len(self.members)
        members = f" with {many} member{'s' * (many != 1)}" if many else ""
        return rf"make the local group {self.host}\{self.group}{members}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its deletion, unless it was deleted since."""
        if not isinstance(last, MakeOwnGroup):
            return None
        return DeleteOwnGroup(
            host=self.host, group=self.group, members=self.members, rule=UNDO_RULE, why=self.undone_why()
        )

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host has it with those members."""
        inside = self._inside(state)
        return inside is not None and inside >= {member.sid for member in self.members}

    def finds(self, state: HostState) -> bool:
        """Tell whether there is none of its name: another one is not taken for it."""
        return self._inside(state) is None


class DeleteOwnGroup(_OfOwnGroup):
    """The host is expected to have the group with exactly these members, and has none of its name afterwards."""

    kind: Literal["delete-own-group"] = "delete-own-group"
    order: ClassVar[Order] = Order.DELETE
    takes_access_away: ClassVar[bool] = True

    def in_words(self) -> str:
        """Return "delete the local group X"."""
        many = len(self.members)
        members = f" with its {many} member{'s' * (many != 1)}" if many else ""
        return rf"delete the local group {self.host}\{self.group}{members}"

    def taken_back(self, last: Change, groups: Mapping[str, Named]) -> Change | None:  # noqa: ARG002 - the base's
        """Return its making, which gives it another SID, unless it was made again since."""
        if not isinstance(last, DeleteOwnGroup):
            return None
        return MakeOwnGroup(
            host=self.host, group=self.group, members=self.members, rule=UNDO_RULE, why=self.undone_why()
        )

    def stands(self, state: HostState) -> bool | None:
        """Tell whether the host has none of its name."""
        return self._inside(state) is None

    def finds(self, state: HostState) -> bool:
        """Tell whether the group is as the proposal saw it."""
        return self._inside(state) == {member.sid for member in self.members}
