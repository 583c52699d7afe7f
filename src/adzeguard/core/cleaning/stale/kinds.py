"""The table of what can be stale."""

from collections.abc import Callable, Iterable
from typing import Final

from adzeguard.core.cleaning.stale.accounts import stale_accounts, stale_computers
from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.cleaning.stale.grants import stale_grants
from adzeguard.core.cleaning.stale.groups import stale_groups
from adzeguard.core.cleaning.stale.in_time import stale_leases, stale_waivers
from adzeguard.core.cleaning.stale.ous import stale_ous
from adzeguard.core.cleaning.stale.policies import stale_policies
from adzeguard.core.cleaning.stale.rules import stale_rules
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class StaleKind:
    """A kind of thing, what makes one of it stale, and what finds them."""

    name: str
    label: str
    words: str
    find: Callable[[StaleInput], Iterable[Stale]]


KINDS: Final[tuple[StaleKind, ...]] = (
    StaleKind("groups", "groups", "nobody is in them, or they contain themselves", stale_groups),
    StaleKind(
        "accounts",
        "accounts",
        "not used, expired, with an old password, or disabled and still privileged",
        stale_accounts,
    ),
    StaleKind("computers", "computers", "not used, or disabled", stale_computers),
    StaleKind("policies", "policies", "linked nowhere, with every link off, or empty", stale_policies),
    StaleKind("ous", "OUs", "nothing lies in them", stale_ous),
    StaleKind("grants", "grants", "given to what is gone, to nobody, or to a disabled account", stale_grants),
    StaleKind("rules", "rules", "off, past their last day, about nothing, or without effect", stale_rules),
    StaleKind("leases", "leases", "not ended, or about what is gone", stale_leases),
    StaleKind("waivers", "waivers", "for what is not found any more", stale_waivers),
)
"""A further kind is a file beside this, and a row here."""


def kind_named(name: str) -> StaleKind:
    """Return a kind by its name."""
    return next(kind for kind in KINDS if kind.name == name)
