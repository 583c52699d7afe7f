"""States of hosts that differ in nothing but the SIDs of their own accounts: what one said is taken apart once.

Twenty thousand hosts come from a few dozen images: taking each state apart by itself was a fifth of a whole check.
"""

import re
from collections.abc import Callable, Mapping
from collections.abc import Set as AbstractSet
from dataclasses import replace
from functools import cached_property
from typing import Any

from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.identity import Sid

_MARK = "\x00"
"""Stands for the host's own SID; no JSON text holds it as it is."""
_MACHINE = re.compile(r'\{"machine_sid":"(S-1-5-21-[0-9-]+)",')
"""With it every state begins that is kept."""


class AlikeStates:
    """Reads texts of states; `take_apart` reads a single one, and gives None for what cannot be read."""

    def __init__(self, take_apart: Callable[[str], HostState | None]) -> None:
        self._take_apart = take_apart
        self._known: dict[str, Alike] = {}

    def read(self, text: str) -> HostState | None:
        """Return the state that a text holds; None for an empty one."""
        if not text:
            return None
        found = _MACHINE.match(text)
        if found is None:
            return self._take_apart(text)
        machine = found[1]
        form = text[found.end() :].replace(f"{machine}-", f"{_MARK}-")
        alike = self._known.get(form)
        if alike is not None:
            return StateOfAlike(alike, Sid(machine))
        state = self._take_apart(text)
        if state is not None and form.count(_MARK) == _own_sids(state):
            self._known[form] = alike_as(state)
            return StateOfAlike(self._known[form], state.machine_sid)
        return state


def _own_sids(state: HostState) -> int:
    """Count where the host's own SIDs stand among accounts and groups: a text with more of them is read by itself."""
    own = f"{state.machine_sid}-"
    sids = [account.sid for account in state.accounts]
    for group in state.groups:
        sids += [group.sid, *group.members]
    return sum(sid.startswith(own) for sid in (*sids, *state.unlisted))


def alike_as(state: HostState) -> "Alike":
    """Return what all states have in common with this one that differ from it in their own SIDs alone."""
    return Alike(lambda: state, lambda: state)


class Alike:
    """A state whose own SIDs are known, to say it of other hosts; what names none of them is the same on all.

    `own` gives a state with its accounts, its groups, and who administers it by no list; `others` one with the rest.
    Each is called when somebody looks.
    """

    def __init__(self, own: Callable[[], HostState], others: Callable[[], HostState]) -> None:
        self._own_of = own
        self._others_of = others
        self._own_inside: dict[Sid, dict[Sid, str]] = {}

    @cached_property
    def own(self) -> HostState:
        """A state with the accounts and groups."""
        return self._own_of()

    @cached_property
    def others(self) -> HostState:
        """A state with everything else."""
        return self._others_of()

    @cached_property
    def _there(self) -> str:
        return f"{self.own.machine_sid}-"

    @cached_property
    def _sids(self) -> AbstractSet[Sid]:
        return {account.sid for account in self.own.accounts} | {group.sid for group in self.own.groups}

    def accounts_on(self, here: str, some: AbstractSet[Sid] | None = None) -> tuple[LocalAccount, ...]:
        """Return the accounts of a host whose SIDs begin like this; `some` are SIDs on the one that is known."""
        wanted = [account for account in self.own.accounts if some is None or account.sid in some]
        if here == self._there:
            return tuple(wanted)
        return tuple(LocalAccount(one.name, self.sid_on(here, one.sid), one.enabled) for one in wanted)

    def groups_on(self, here: str, some: AbstractSet[Sid] | None = None) -> tuple[LocalGroup, ...]:
        """Return the groups of such a host."""
        wanted = [group for group in self.own.groups if some is None or group.sid in some]
        return tuple(wanted) if here == self._there else tuple(self._group_on(here, group) for group in wanted)

    def group_on(self, here: str, sid: str) -> LocalGroup | None:
        """Return one group of such a host."""
        there = self._from(here, sid)
        group = self.own.group(there) if there is not None else None
        return group if group is None or here == self._there else self._group_on(here, group)

    def among(self, here: str, sids: AbstractSet[Sid]) -> AbstractSet[Sid]:
        """Return those of some SIDs that an account or group of such a host has, as they are on the one that is known.

        Most who are asked for are of the directory.
        """
        return {there for sid in sids if (there := self._from(here, sid)) is not None and there in self._sids}

    def sid_on(self, here: str, sid: Sid) -> Sid:
        """Return what a SID is on another host."""
        rest = self._rest(sid)
        return sid if rest is None else Sid(here + rest)

    def _group_on(self, here: str, group: LocalGroup) -> LocalGroup:
        if group.sid not in self._own_inside:
            self._own_inside[group.sid] = self._own_members(group)
        sid, own = self.sid_on(here, group.sid), self._own_inside[group.sid]
        if sid is group.sid and not own:
            return group
        return LocalGroup(group.name, sid, group.members.difference(own).union(Sid(here + r) for r in own.values()))

    def _own_members(self, group: LocalGroup) -> dict[Sid, str]:
        return {sid: rest for sid in group.members if (rest := self._rest(sid)) is not None}

    def _from(self, here: str, sid: str) -> Sid | None:
        """Return what a SID of another host is on the one that is known; None for one of this one, unknown there."""
        if sid.startswith(here):
            return Sid(self._there + sid[len(here) :])
        return None if sid.startswith(self._there) else Sid(sid)

    def _rest(self, sid: Sid) -> str | None:
        """Return what follows the SID of the host itself; None in any other SID."""
        return sid[len(self._there) :] if sid.startswith(self._there) else None


class StateOfAlike(HostState):
    """What a host said that differs from others in its own SIDs alone: made as far as somebody looks at it."""

    __slots__ = ("_of",)
    _of: Alike

    def __init__(self, of: Alike, machine: Sid) -> None:
        object.__setattr__(self, "machine_sid", machine)
        object.__setattr__(self, "_of", of)

    @property
    def capabilities(self) -> frozenset[str]:
        """The names of what can be read and changed there."""
        return self._of.others.capabilities

    @property
    def parts(self) -> Mapping[str, Any]:
        """The values of further capabilities, which name no account of the host."""
        return self._of.others.parts

    @property
    def lacks(self) -> Mapping[str, str]:
        """Why it has not what it has not."""
        return self._of.others.lacks

    @property
    def alike(self) -> object:
        """What is the same object for all states that differ from this one in their own SIDs alone."""
        return self._of

    @property
    def seen_on(self) -> None:
        """What is kept of it is kept apart."""

    @property
    def accounts(self) -> tuple[LocalAccount, ...]:
        """The accounts of the host itself."""
        return self._of.accounts_on(f"{self.machine_sid}-")

    @property
    def groups(self) -> tuple[LocalGroup, ...]:
        """Its groups."""
        return self._of.groups_on(f"{self.machine_sid}-")

    @property
    def unlisted(self) -> Mapping[Sid, str]:
        """Who administers it though no list says so."""
        here, of = f"{self.machine_sid}-", self._of
        return {of.sid_on(here, sid): by for sid, by in of.own.unlisted.items()}

    def group(self, sid: str) -> LocalGroup | None:
        """Return the local group with this SID."""
        return self._of.group_on(f"{self.machine_sid}-", sid)

    def among(self, sids: AbstractSet[Sid]) -> tuple[list[LocalAccount], list[LocalGroup]]:
        """Return the accounts and groups of the host itself that have one of these SIDs."""
        here = f"{self.machine_sid}-"
        some = self._of.among(here, sids)
        return (list(self._of.accounts_on(here, some)), list(self._of.groups_on(here, some))) if some else ([], [])

    def with_accounts(self, accounts: tuple[LocalAccount, ...]) -> HostState:
        """Return the same with other accounts."""
        return replace(HostState(*_whole_of(self)), accounts=accounts)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, HostState) and _whole_of(self) == _whole_of(other)

    __hash__ = None  # type: ignore[assignment]

    def __reduce__(self) -> tuple[Any, ...]:
        return HostState, _whole_of(self)


def _whole_of(state: HostState) -> tuple[Any, ...]:
    return (
        state.machine_sid,
        state.accounts,
        state.groups,
        state.capabilities,
        state.parts,
        state.lacks,
        state.unlisted,
    )
