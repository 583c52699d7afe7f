"""Every guard, one after the other: the same when a proposal is made as before it is enacted."""

from collections.abc import Callable, Iterator
from typing import Final

from adzeguard.core.change.guards.approval import lacking_approval
from adzeguard.core.change.guards.attributes import odd_settings
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.lockout import lockouts
from adzeguard.core.change.guards.logon import shut_out_of_hosts
from adzeguard.core.change.guards.lookalike import lookalikes
from adzeguard.core.change.guards.objects import critical_objects
from adzeguard.core.change.guards.reach import new_reach
from adzeguard.core.change.guards.rights import lost_rights, shutting_out
from adzeguard.core.change.guards.signing_in import limited_keepers
from adzeguard.core.change.guards.size import oversizes
from adzeguard.core.change.guards.vanished import vanished
from adzeguard.core.change.guards.way_back import lost_ways_back
from adzeguard.core.change.guards.way_in import lost_ways_in
from adzeguard.core.errors import GuardError

Guard = Callable[[Case], Iterator[str]]
"""Yields each reason why the changes must not be made."""

GUARDS: Final[tuple[Guard, ...]] = (
    odd_settings,
    critical_objects,
    lockouts,
    shut_out_of_hosts,
    limited_keepers,
    lost_ways_back,
    lost_ways_in,
    lost_rights,
    shutting_out,
)
"""Those that nothing but another proposal can satisfy."""

SIZES: Final[tuple[Guard, ...]] = (oversizes, new_reach, vanished, lookalikes)
"""Those that the operator satisfies by naming the number."""
OTHERS: Final[tuple[Guard, ...]] = (lacking_approval,)
"""Those that somebody else satisfies, once the proposal is made."""


def pass_guards(case: Case) -> None:
    """Return quietly, or raise `GuardError` with each reason, sizes that were not named among them."""
    refusals = [reason for guard in (*GUARDS, *SIZES, *OTHERS) for reason in guard(case)]
    if refusals:
        raise GuardError(refusals)


def pass_guards_when_made(case: Case) -> Iterator[str]:
    """Raise `GuardError` where the proposal could never be enacted; else yield the sizes that must then be named."""
    refusals = [reason for guard in GUARDS for reason in guard(case)]
    if refusals:
        raise GuardError(refusals)
    for size in SIZES:
        yield from size(case)
