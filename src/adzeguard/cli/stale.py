"""adzeguard stale."""

from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import LENGTH
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.tables import ListingCommand, OneOf
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.cleaning.stale.found import Looked, Stale
    from adzeguard.core.cleaning.uses import Use

F = TypeVar("F", bound=Callable[..., Any])


def _kinds() -> "list[tuple[str, str]]":
    from adzeguard.core.cleaning.stale.kinds import KINDS

    return [(kind.name, kind.words) for kind in KINDS]


def _thresholds(function: F) -> F:
    for flag, words in (
        ("--password-older", "An account whose password was not renewed for so long."),
        ("--never-used-for", "What was made so long ago and never used."),
        ("--unused-for", "What nobody used for so long, such as 180d."),
    ):
        function = click.option(flag, type=LENGTH, metavar="TIME", help=words)(function)
    return click.option("--built-in", is_flag=True, help="Also what every domain is born with.")(function)


@click.command(
    "stale",
    cls=ListingCommand,
    heading="Kinds",
    rows=_kinds,
    epilog=example("adzeguard stale groups --with-uses"),
)
@click.argument("kind", type=OneOf(_kinds), required=False, metavar="[KIND]")
@_thresholds
@click.option("--with-uses", is_flag=True, help="Say what names each still.")
@listing_options
@workspace_option
def command(
    kind: str | None,
    built_in: bool,
    unused_for: timedelta | None,
    never_used_for: timedelta | None,
    password_older: timedelta | None,
    with_uses: bool,
    form: str,
    output: Path | None,
    folder: Path | None,
) -> int:
    """Show what is stale: how much of each kind, or of one KIND each thing, why, since when, and what names it still.

    The logon stamp that a directory replicates is up to 14 days late; that much is allowed for. Usual times stand in
    adzeguard.toml under [stale].

    Keys of json and csv: kind, count, sorts, oldest, since. With KIND: name, dn, sid, kind, why, since, uses; and
    named_by with --with-uses.
    """
    from adzeguard.core.cleaning.stale.kinds import KINDS, kind_named
    from adzeguard.core.views.stale import counts_table, stale_table

    workspace = opened(folder)
    looked = looked_at(workspace, kind, unused_for, never_used_for, password_older, built_in=built_in)
    if kind is None:
        put_view(counts_table({one: list(one.find(looked)) for one in KINDS}), form, output)
        return Exit.NOTHING_TO_REPORT
    found = list(kind_named(kind).find(looked))
    put_view(stale_table(found, kind_named(kind), _uses(workspace, looked, found), named=with_uses), form, output)
    return Exit.NOTHING_TO_REPORT


def looked_at(
    workspace: Workspace,
    kind: str | None,
    unused: timedelta | None = None,
    never_used: timedelta | None = None,
    password: timedelta | None = None,
    *,
    built_in: bool = False,
) -> "Looked":
    """Return where staleness is looked for; what a check finds is asked for waivers alone, since it takes longest."""
    from adzeguard.core.cleaning.stale.found import Looked
    from adzeguard.core.cleaning.thresholds import Thresholds
    from adzeguard.store.leases import Leases
    from adzeguard.store.questions import Waivers

    usual = workspace.settings.stale
    waivers = Waivers(workspace.database).all()
    wanted = kind in (None, "waivers") and any(one.holds(workspace.now()) for one in waivers)
    return Looked(
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


def _uses(workspace: Workspace, looked: "Looked", found: "list[Stale]") -> "dict[int, list[Use]]":
    from adzeguard.core.cleaning.uses import Named, uses_by_id

    about = {one.about.id: one.about for one in found if one.about is not None}
    waivers = [one for one in looked.waivers if one.holds(workspace.now())]
    named = Named(looked.rights, looked.charter, looked.leases, waivers, list(about.values()), workspace.shared)
    return uses_by_id(named) if about else {}
