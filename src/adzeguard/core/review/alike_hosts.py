"""Hosts that differ in nothing but the numbers of their own accounts deviate alike."""

from collections.abc import Hashable, Sequence
from typing import Any

from adzeguard.core.charter.scopes import ScopedRule
from adzeguard.core.estate.hosts import HostState
from adzeguard.core.identity import Sid


def shape(state: HostState, rules: Sequence[ScopedRule[Any]]) -> Hashable:
    """Return a value that is equal for two hosts exactly when the same rules find the same members there.

    Twenty thousand hosts have a few hundred shapes: what was found in order on one is in order on all of its shape.
    A host's own accounts and groups are told by their RID, everything else by its SID.
    """
    own = f"{state.machine_sid}-"

    def told(sid: Sid) -> str:
        return sid.removeprefix(own)

    return (
        tuple((id(scoped.rule), scoped.distance) for scoped in rules),
        tuple((account.name, told(account.sid)) for account in state.accounts),
        tuple((group.name, told(group.sid), frozenset(map(told, group.members))) for group in state.groups),
    )
