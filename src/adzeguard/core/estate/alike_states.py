"""States of hosts that differ in nothing but the SIDs of their own accounts: what one said is taken apart once.

Twenty thousand hosts come from a few dozen images: taking each state apart by itself was a fifth of a whole check.
"""

import re
from collections.abc import Callable

from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.identity import Sid

_MARK = "\x00"
"""Stands for the host's own SID; no JSON text holds it as it is."""
_BEFORE = '"machine_sid":"'
_MACHINE = re.compile(_BEFORE + r'(S-1-5-21-[0-9-]+)"')


class AlikeStates:
    """Reads texts of states; `take_apart` reads a single one, and gives None for what cannot be read."""

    def __init__(self, take_apart: Callable[[str], HostState | None]) -> None:
        self._take_apart = take_apart
        self._known: dict[str, _Alike] = {}

    def read(self, text: str) -> HostState | None:
        """Return the state that a text holds."""
        found = _MACHINE.search(text)
        if found is None:
            return self._take_apart(text)
        machine = found[1]
        form = text.replace(f'{_BEFORE}{machine}"', _BEFORE, 1).replace(f"{machine}-", f"{_MARK}-")
        alike = self._known.get(form)
        if alike is not None:
            return alike.on(Sid(machine))
        state = self._take_apart(text)
        if state is not None and form.count(_MARK) == _own_sids(state):
            self._known[form] = _Alike(state)
        return state


def _own_sids(state: HostState) -> int:
    """Count where the host's own SIDs stand among accounts and groups: a text with more of them is read by itself."""
    own = f"{state.machine_sid}-"
    sids = [account.sid for account in state.accounts]
    for group in state.groups:
        sids += [group.sid, *group.members]
    return sum(sid.startswith(own) for sid in (*sids, *state.unlisted))


class _Alike:
    """A state whose own SIDs are known, to say it of other hosts; what names none of them is the same on all."""

    def __init__(self, state: HostState) -> None:
        self._state = state
        self._there = f"{state.machine_sid}-"
        self._accounts = [(account.name, self._rest(account.sid), account) for account in state.accounts]
        self._groups = [(group, self._rest(group.sid), self._own(group)) for group in state.groups]

    def on(self, machine: Sid) -> HostState:
        """Return the same of another host."""
        here = f"{machine}-"
        state = self._state
        return HostState(
            machine,
            tuple(
                account if rest is None else LocalAccount(name, Sid(here + rest), account.enabled)
                for name, rest, account in self._accounts
            ),
            tuple(
                group if rest is None and not own else self._group_on(here, group, rest, own)
                for group, rest, own in self._groups
            ),
            state.capabilities,
            state.parts,
            state.lacks,
            {self._sid_on(here, sid): by for sid, by in state.unlisted.items()} if state.unlisted else state.unlisted,
        )

    def _group_on(self, here: str, group: LocalGroup, rest: str | None, own: dict[Sid, str]) -> LocalGroup:
        sid = group.sid if rest is None else Sid(here + rest)
        return LocalGroup(group.name, sid, group.members.difference(own).union(Sid(here + r) for r in own.values()))

    def _own(self, group: LocalGroup) -> dict[Sid, str]:
        return {sid: rest for sid in group.members if (rest := self._rest(sid)) is not None}

    def _rest(self, sid: Sid) -> str | None:
        """Return what follows the SID of the host itself; None in any other SID."""
        return sid[len(self._there) :] if sid.startswith(self._there) else None

    def _sid_on(self, here: str, sid: Sid) -> Sid:
        rest = self._rest(sid)
        return sid if rest is None else Sid(here + rest)
