"""adzeguard hosts admit."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option
from adzeguard.cli.output import say

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft


@click.command("admit", cls=HeadedCommand, epilog=example("adzeguard hosts admit QUAY-01 'OU=Ticket Kiosks,OU=Hosts'"))
@click.argument("host", shell_complete=names("computer"))
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(host: str, container: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Move a host that waits in a holding OU to its place, and open it there.

    One proposal moves the host, ends every refusal, limit and notice that only the rules of the old place ask for, and
    makes what the rules of the new place mend. It shows first what the host loses and gets. Ends with 3 if the host
    still refuses somebody, or shows a notice, that no rule asks for.
    """
    from adzeguard.workspace.by_hand import host_admitted

    workspace = opened(folder)
    still: list[str] = []

    def draft() -> "Draft":
        made = host_admitted(workspace, host, container, why)
        still[:] = [one.reason for one in made.left_out if not one.rule]
        return made

    code = enact_draft(workspace, draft, answers)
    for reason in still if code == Exit.NOTHING_TO_REPORT else ():
        say(f"{host}: {reason}")
    return Exit.TO_REPORT if still and code == Exit.NOTHING_TO_REPORT else code
