"""adzeguard admit."""

from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.opening import opened
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option

if TYPE_CHECKING:
    from adzeguard.core.change.draft import Draft


@click.command("admit", epilog=example("adzeguard admit QUAY-01 'OU=Ticket Kiosks,OU=Hosts'"))
@click.argument("host", shell_complete=names("computer"))
@click.argument("container", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def command(host: str, container: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Move a host that waits in a holding OU to its place, and open it there.

    The move, the end of what the rules of the old place put in, and what those of the new one mend are one proposal;
    what the host loses and gets is said before.

    Keys of json and csv: id, status, target, kind, group, member, object, rule, detail.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.estate.names import resolve_host
    from adzeguard.core.estate.places import short_dn
    from adzeguard.core.review.admission import admitted, as_if_moved
    from adzeguard.core.views.host_page import host_rules
    from adzeguard.core.views.rule_reach import effect_table

    workspace = opened(folder)

    def draft() -> "Draft":
        here, place = resolve_host(workspace.estate, host), container_at(workspace.estate, container)
        _, there = as_if_moved(workspace.estate, here, place.dn)
        before, after = (host_rules(workspace.charter, h) for h in (here, there))
        effect = effect_table(before, after, here.name, short_dn(workspace.estate, place.dn))
        said = [row for row in effect.rows if row["change"] != "keeps"]
        return admitted(workspace.rights, workspace.charter, workspace.put_in, here, place, said, why)

    return enact_draft(workspace, draft, answers)
