"""What nobody needs any more, and what names a thing: the views of a workspace."""

from collections.abc import Mapping, Sequence
from datetime import timedelta
from typing import TYPE_CHECKING

from adzeguard.core.cleaning.orphans import orphans
from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.cleaning.stale.kinds import KINDS, StaleKind, kind_named
from adzeguard.core.cleaning.thresholds import Thresholds
from adzeguard.core.cleaning.uses import Named, Use, uses_by_id, uses_of
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.stale import counts_table, stale_table
from adzeguard.core.views.table import Table
from adzeguard.core.views.uses import orphans_table, uses_table
from adzeguard.store.leases import Leases
from adzeguard.store.questions import Waivers

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace


def named_by(workspace: "Workspace", about: Sequence[Principal], *, only_told: bool = False) -> Named:
    """Return everything in which these may be named: directory, rights, charter, hosts, leases, waivers and shares.

    `only_told` says that nothing is decided by it: rules that cannot be read are then left out, and that is said.
    An account that is stale for three reasons is given three times, and is looked for once.
    """
    waivers = [one for one in Waivers(workspace.database).all() if one.holds(workspace.now())]
    leases = Leases(workspace.database).all()
    once = list({one.id: one for one in about}.values())
    charter = workspace.charter_if_readable("Rules are left out") if only_told else workspace.charter
    return Named(workspace.rights, charter, leases, waivers, once, workspace.shared)


def uses(workspace: "Workspace", name: str) -> Table:
    """Return everything that names an object."""
    about = resolve(workspace.estate, name)
    return uses_table(uses_of(named_by(workspace, [about])), about.qualified_name)


def orphaned(workspace: "Workspace") -> Table:
    """Return the SIDs of the domain that belong to nothing any more, and where they stand."""
    found = list(orphans(workspace.estate, workspace.shared, ""))
    return orphans_table(found, workspace.store.seen_deleted())


def stale_counts(looked: StaleInput) -> Table:
    """Return how much of each kind is stale."""
    return counts_table({kind: list(kind.find(looked)) for kind in KINDS})


def stale_of(workspace: "Workspace", looked: StaleInput, kind: str, *, named: bool = False) -> Table:
    """Return what is stale of one kind, with how often it is named still, and by what where that is asked for."""
    found = list(kind_named(kind).find(looked))

    def uses_now(some: Sequence[Stale]) -> Mapping[int, Sequence[Use]]:
        about = [one.about for one in some if one.about is not None]
        return uses_by_id(named_by(workspace, about)) if about else {}

    return stale_table(found, kind_named(kind), uses_now, named=named)


def stale_by_kind(workspace: "Workspace") -> Mapping[StaleKind, Sequence[Stale]]:
    """Return what is stale of every kind, by the usual times."""
    looked = looked_at(workspace, None)
    return {kind: list(kind.find(looked)) for kind in KINDS}


def looked_at(
    workspace: "Workspace",
    kind: str | None,
    unused: timedelta | None = None,
    never_used: timedelta | None = None,
    password: timedelta | None = None,
    *,
    built_in: bool = False,
) -> StaleInput:
    """Return where staleness is looked for; what a check finds is asked for waivers alone, since it takes longest."""
    usual = workspace.settings.stale
    waivers = Waivers(workspace.database).all()
    wanted = kind in (None, "waivers") and any(one.holds(workspace.now()) for one in waivers)
    return StaleInput(
        workspace.rights,
        workspace.charter,
        workspace.privileged,
        Leases(workspace.database).all(),
        waivers,
        frozenset(one.fingerprint for one in workspace.findings(with_left=False)) if wanted else None,
        workspace.now(),
        Thresholds(unused or usual.unused, never_used or usual.never_used, password or usual.password),
        built_in,
        workspace.shared,
    )
