"""adzeguard trusts."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import looking
from adzeguard.cli.options import at_option, card_options, example, listing_options, workspace_option
from adzeguard.cli.output import put_view


@click.group("trusts", cls=CommandGroup, alone="list", epilog=example("adzeguard trusts list"))
def command() -> None:
    """Look at trusts with other domains: whom each lets in, and who of them is here; alone, list trusts."""


@command.command("list", epilog=example("adzeguard trusts list"))
@listing_options
@at_option
@workspace_option
def list_trusts(form: str, output: Path | None, moment: datetime | None, folder: Path | None) -> int:
    """List the trusts: who comes in, by whose word, and whether SIDs of others are taken out of it."""
    from adzeguard.core.views.trusts import trusts_table

    put_view(trusts_table(looking(folder, moment).estate.trusts), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("show", epilog=example("adzeguard trusts show isle.example"))
@click.argument("domain")
@card_options
@at_option
@workspace_option
def show(domain: str, form: str, output: Path | None, moment: datetime | None, folder: Path | None) -> int:
    """Show one trust, and everybody of that domain who stands in a group or has a right here."""
    from adzeguard.core.estate.trusts import trust_named
    from adzeguard.core.views.trusts import trust_page

    workspace = looking(folder, moment)
    put_view(trust_page(workspace.rights, trust_named(workspace.estate.trusts, domain)), form, output)
    return Exit.NOTHING_TO_REPORT
