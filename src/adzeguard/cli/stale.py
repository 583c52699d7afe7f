"""adzeguard stale."""

from collections.abc import Callable
from datetime import timedelta
from pathlib import Path
from typing import Any, TypeVar

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import LENGTH
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.tables import ListingCommand, OneOf

F = TypeVar("F", bound=Callable[..., Any])


def _kinds() -> "list[tuple[str, str]]":
    from adzeguard.core.cleaning.stale.kinds import KINDS

    return [(kind.name, kind.words) for kind in KINDS]


def _thresholds(function: F) -> F:
    for flag, words in (
        ("--password-older", "Age after which a password is old."),
        ("--never-used-for", "Age after which an account that was never used is stale."),
        ("--unused-for", "Time without use after which an account is stale, such as 180d."),
    ):
        function = click.option(flag, type=LENGTH, metavar="TIME", help=words)(function)
    return click.option("--built-in", is_flag=True, help="Also list objects that every domain has.")(function)


@click.command(
    "stale",
    cls=ListingCommand,
    heading="Kinds",
    rows=_kinds,
    epilog=example("adzeguard stale groups --with-uses"),
)
@click.argument("kind", type=OneOf(_kinds), required=False, metavar="[KIND]")
@_thresholds
@click.option("--with-uses", is_flag=True, help="Also list what names each.")
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

    A directory replicates the time of the last logon up to 14 days late; the times here allow for that. Set them in
    adzeguard.toml under [stale].
    """
    from adzeguard.workspace.cleaning import looked_at, stale_counts, stale_of

    workspace = looking(folder)
    looked = looked_at(workspace, kind, unused_for, never_used_for, password_older, built_in=built_in)
    table = stale_counts(looked) if kind is None else stale_of(workspace, looked, kind, named=with_uses)
    put_view(table, form, output)
    return Exit.NOTHING_TO_REPORT
