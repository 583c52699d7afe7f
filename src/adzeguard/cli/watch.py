"""adzeguard round watch."""

import json
from datetime import datetime
from pathlib import Path
from typing import Any

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, workspace_option
from adzeguard.cli.output import put, say
from adzeguard.workspace.open_workspace import Workspace
from adzeguard.workspace.stopping import stopping


@click.command("watch", cls=HeadedCommand, epilog=example("adzeguard round watch --rounds 1"))
@click.option("--every", type=click.IntRange(1, 1440), default=15, show_default=True, help="Minutes between rounds.")
@click.option("--rounds", type=click.IntRange(1), metavar="N", help="End after N rounds.")
@workspace_option
def command(every: int, rounds: int | None, folder: Path | None) -> int:
    """Go on making rounds: every so many minutes, and at once when the directory says that something has changed.

    Ctrl-C or SIGTERM ends it after the current round. Each round writes one line of JSON: at, because, and the keys of
    adzeguard round, or error. After a round that fails, the next one is made as usual.
    """
    from adzeguard.workspace.watching import rounds as rounds_of

    _announce(opened(folder), every)
    with stopping(say) as asked_to_stop:
        for line in rounds_of(lambda: opened(folder), every, rounds, asked_to_stop):
            put(json.dumps(line, default=_plain) + "\n")
    return Exit.NOTHING_TO_REPORT


def _plain(value: Any) -> str:
    return value.isoformat() if isinstance(value, datetime) else str(value)


def _announce(workspace: Workspace, every: int) -> None:
    rules = [rule for rule in workspace.written_charter.rules if rule.enabled]
    mending = [rule.id for rule in rules if (rule.response or workspace.settings.response) == "mend"]
    from adzeguard.core.wording import some_of

    say(f"A round every {every} minutes, and when the directory says that something changed. By itself it ends leases,")
    say(f"begins shifts, and mends what {len(mending)} rules say: {some_of(mending) or 'none'}.")
    say(f"It changes nothing else: of {len(rules) - len(mending)} rules the owners are asked, {_told_by(workspace)};")
    say("what a guard refuses is left, and told.")


def _told_by(workspace: Workspace) -> str:
    ways = [one.name for one in workspace.settings.tell]
    return f"by {' and '.join(ways)}" if ways else "in adzeguard questions alone, since [tell] names no way"
