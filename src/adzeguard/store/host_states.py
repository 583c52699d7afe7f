"""How the state of a host is written in the store: compact JSON, in one order, so that equal states are equal text."""

import json

from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.identity import Sid


def pack_state(state: HostState) -> str:
    """Return the text of a state."""
    accounts = sorted([a.name, a.sid, int(a.enabled)] for a in state.accounts)
    groups = sorted([g.name, g.sid, sorted(g.members)] for g in state.groups)
    return json.dumps([state.machine_sid, accounts, groups], separators=(",", ":"))


def unpack_state(text: str) -> HostState:
    """Return the state that a text holds."""
    machine, accounts, groups = json.loads(text)
    return HostState(
        Sid(machine),
        tuple(LocalAccount(name, Sid(sid), bool(enabled)) for name, sid, enabled in accounts),
        tuple(LocalGroup(name, Sid(sid), frozenset(map(Sid, members))) for name, sid, members in groups),
    )
