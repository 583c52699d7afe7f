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
        self._known: dict[str, HostState] = {}

    def read(self, text: str) -> HostState | None:
        """Return the state that a text holds."""
        found = _MACHINE.search(text)
        if found is None:
            return self._take_apart(text)
        machine = found[1]
        form = text.replace(f'{_BEFORE}{machine}"', _BEFORE, 1).replace(f"{machine}-", f"{_MARK}-")
        alike = self._known.get(form)
        if alike is not None:
            return _moved(alike, Sid(machine))
        state = self._take_apart(text)
        if state is not None and form.count(_MARK) == _own_sids(state):
            self._known[form] = state
        return state


def _own_sids(state: HostState) -> int:
    """Count where the host's own SIDs stand among accounts and groups: a text with more of them is read by itself."""
    own = f"{state.machine_sid}-"
    sids = [account.sid for account in state.accounts]
    for group in state.groups:
        sids += [group.sid, *group.members]
    return sum(sid.startswith(own) for sid in (*sids, *state.unlisted))


def _moved(state: HostState, machine: Sid) -> HostState:
    there, here = f"{state.machine_sid}-", f"{machine}-"
    length = len(there)

    def moved(sid: Sid) -> Sid:
        return Sid(here + sid[length:]) if sid.startswith(there) else sid

    return HostState(
        machine,
        tuple(LocalAccount(account.name, moved(account.sid), account.enabled) for account in state.accounts),
        tuple(LocalGroup(group.name, moved(group.sid), frozenset(map(moved, group.members))) for group in state.groups),
        state.capabilities,
        state.parts,
        state.lacks,
        {moved(sid): by for sid, by in state.unlisted.items()},
    )
