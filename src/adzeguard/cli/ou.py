"""adzeguard ou."""

from pathlib import Path

import click

from adzeguard.cli.completing import containers
from adzeguard.cli.desk import Desk
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.options import Answers, enacting_options, example, why_option, workspace_option


@click.group("ou", epilog=example("adzeguard ou create 'Dry Dock' --in OU=Hosts"))
def command() -> None:
    """Make, protect, move and delete OUs: propose, guards, enact, journal."""


@command.command("create", epilog=example("adzeguard ou create 'Dry Dock' --in OU=Hosts"))
@click.argument("name")
@click.option(
    "--in",
    "container",
    default="",
    metavar="OU",
    help="Where it is made; otherwise at the top.",
    shell_complete=containers,
)
@click.option("--description", default="", metavar="TEXT", help="What it is for.")
@click.option("--unprotected", is_flag=True, help="Do not protect it against deletion.")
@why_option
@enacting_options
@workspace_option
def create(
    name: str, container: str, description: str, unprotected: bool, why: str, answers: Answers, workspace: Path | None
) -> int:
    """Make an OU, protected against deletion.

    Two entries deny it to everyone: one on the OU, and one on what it lies in, without which an administrator could
    delete it all the same.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import created_ou

    desk = Desk(workspace)
    above = container_at(desk.estate, container or desk.estate.domain.base_dn)
    return enact_draft(
        desk,
        lambda: created_ou(desk.estate, name, above, protected=not unprotected, description=description, why=why),
        answers,
    )


@command.command("protect", epilog=example("adzeguard ou protect OU=Quay"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def protect(ou: str, why: str, answers: Answers, workspace: Path | None) -> int:
    """Protect an OU against deletion and moving."""
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import protected_object
    from adzeguard.core.change.draft import Draft

    desk = Desk(workspace)
    place = container_at(desk.estate, ou)
    return enact_draft(desk, lambda: Draft.of(protected_object(desk.estate, place, why)), answers)


@command.command("unprotect", epilog=example("adzeguard ou unprotect OU=Quay"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def unprotect(ou: str, why: str, answers: Answers, workspace: Path | None) -> int:
    """Let an OU be deleted and moved again. What lies above keeps its part while it protects others."""
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import unprotected_object

    desk = Desk(workspace)
    place = container_at(desk.estate, ou)
    return enact_draft(desk, lambda: unprotected_object(desk.estate, place, why), answers)


@command.command("move", epilog=example("adzeguard ou move OU=Galley,OU=People OU=Retired"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@click.argument("to", metavar="TO", shell_complete=containers)
@why_option
@enacting_options
@workspace_option
def move(ou: str, to: str, why: str, answers: Answers, workspace: Path | None) -> int:
    """Put an OU, with all below it, into another. A protected one is refused."""
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import moved_object

    desk = Desk(workspace)
    place, above = container_at(desk.estate, ou), container_at(desk.estate, to)
    return enact_draft(desk, lambda: moved_object(desk.estate, place, above, why), answers)


@command.command("delete", epilog=example("adzeguard ou delete OU=Retired"))
@click.argument("ou", metavar="OU", shell_complete=containers)
@click.option("--with-content", is_flag=True, help="Delete all that lies in it too; --deletions must name how many.")
@why_option
@enacting_options
@workspace_option
def delete(ou: str, with_content: bool, why: str, answers: Answers, workspace: Path | None) -> int:
    """Delete an OU. Refused while it is protected, and while it is not empty.

    With its content every object is listed, and their number must be named.
    """
    from adzeguard.core.change.by_hand.objects import container_at
    from adzeguard.core.change.by_hand.ous import deleted_ou

    desk = Desk(workspace)
    place = container_at(desk.estate, ou)
    return enact_draft(desk, lambda: deleted_ou(desk.estate, place, with_content=with_content, why=why), answers)
