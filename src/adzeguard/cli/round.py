"""adzeguard round: what is done by itself, once or until stopped."""

from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.watch import command as watch

_NO_NEWS = ("collected", "events")
"""What a round reads; that it read something is no reason to send mail."""


@click.group("round", cls=CommandGroup, alone="once", epilog=example("adzeguard round"))
def command() -> None:
    """Make rounds: once, or until stopped. `adzeguard round` is `adzeguard round once`."""


command.add_command(watch)


@command.command("once", epilog=example("adzeguard round once --only-leases"))
@click.option("--only-leases", is_flag=True, help="Only end leases; mend nothing and ask nobody.")
@click.option("--quiet", is_flag=True, help="Show nothing if nothing was done, and nothing is left to do.")
@card_options
@workspace_option
def once(only_leases: bool, quiet: bool, form: str, output: Path | None, folder: Path | None) -> int:
    """Do one unattended pass: collect, end leases, start shifts, mend, ask.

    Run it from cron: one round runs at a time, within the guards, and changes past a limit are reported and left. If
    there is nothing to do, nothing is written. Ends with 4 if a rule cannot be followed, a lease that is over has not
    ended, or a change or notification was refused or failed.
    """
    from adzeguard.core.views.round import round_page
    from adzeguard.workspace.round import one_round

    data = one_round(opened(folder), only_leases=only_leases)
    if not quiet or any(value for key, value in data.items() if key not in _NO_NEWS):
        put_view(round_page(data), form, output)
    left = any(data[key] for key in ("leases_left", "not_followed", "not_made", "refusals", "untold"))
    return Exit.DONE_IN_PART if left else Exit.NOTHING_TO_REPORT
