"""adzeguard group."""

from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.group_objects import add_object_commands
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import opened
from adzeguard.cli.options import (
    Answers,
    enacting_options,
    example,
    listing_options,
    on_option,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError


@click.group(
    "group",
    cls=CommandGroup,
    instead={"list": "adzeguard who --groups", "show": "adzeguard show GROUP", "members": "adzeguard who GROUP"},
    epilog=example("adzeguard group add 'LOWMERE\\First Aiders' orla.fenn mira.holt"),
)
def command() -> None:
    """Change memberships and groups by hand, on the same road as the charter: propose, guards, enact, journal."""


@command.command("add", epilog=example("adzeguard group add 'LOWMERE\\First Aiders' orla.fenn mira.holt"))
@click.argument("group", shell_complete=names("group"))
@click.argument("members", nargs=-1, required=True, metavar="MEMBER...", shell_complete=names())
@on_option
@why_option
@enacting_options
@workspace_option
def add(group: str, members: tuple[str, ...], host: str, why: str, answers: Answers, folder: Path | None) -> int:
    r"""Add one or more members to a group. A member that the scope of the group does not allow is refused.

    With --on, GROUP is a local group of that host, such as administrators. A bare name is still an account of the
    directory; write local\NAME for an account of the host itself.
    """
    from adzeguard.workspace.by_hand import joined, members_changed_on

    workspace = opened(folder)
    if host:
        return enact_draft(
            workspace, lambda: members_changed_on(workspace, host, group, members, why, add=True), answers
        )
    return enact_draft(workspace, lambda: joined(workspace, group, members, why), answers)


@command.command("remove", epilog=example("adzeguard group remove 'LOWMERE\\First Aiders' orla.fenn"))
@click.argument("group", shell_complete=names("group"))
@click.argument("members", nargs=-1, required=True, metavar="MEMBER...", shell_complete=names())
@on_option
@why_option
@enacting_options
@workspace_option
def remove(group: str, members: tuple[str, ...], host: str, why: str, answers: Answers, folder: Path | None) -> int:
    """Take one or more members out of a group; if it is their primary group, they get another one first.

    With --on, GROUP is a local group of that host, and members can be named by their SID too.
    """
    from adzeguard.workspace.by_hand import left, members_changed_on

    workspace = opened(folder)
    if host:
        return enact_draft(
            workspace, lambda: members_changed_on(workspace, host, group, members, why, add=False), answers
        )
    return enact_draft(workspace, lambda: left(workspace, group, members, why), answers)


@command.command("join", epilog=example("adzeguard group join orla.fenn 'First Aiders' 'Radio Watch'"))
@click.argument("member", shell_complete=names())
@click.argument("groups", nargs=-1, required=True, metavar="GROUP...", shell_complete=names("group"))
@why_option
@enacting_options
@workspace_option
def join(member: str, groups: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Put one member into one or more groups."""
    from adzeguard.workspace.by_hand import joining

    workspace = opened(folder)
    return enact_draft(workspace, lambda: joining(workspace, member, groups, why), answers)


@command.command("leave", epilog=example("adzeguard group leave orla.fenn 'Chart Editors' 'Night Watch'"))
@click.argument("member", shell_complete=names())
@click.argument("groups", nargs=-1, required=True, metavar="GROUP...", shell_complete=names("group"))
@why_option
@enacting_options
@workspace_option
def leave(member: str, groups: tuple[str, ...], why: str, answers: Answers, folder: Path | None) -> int:
    """Take one member out of one or more groups."""
    from adzeguard.workspace.by_hand import leaving

    workspace = opened(folder)
    return enact_draft(workspace, lambda: leaving(workspace, member, groups, why), answers)


@command.command(
    "copy-memberships",
    short_help="Give somebody the groups of somebody else, with care.",
    epilog=example("adzeguard group copy-memberships --from hedda.morrow --to yorick.tarn --except '*Supervisors'"),
)
@click.option(
    "--from",
    "source",
    required=True,
    metavar="PERSON",
    help="Whose memberships are copied.",
    shell_complete=names("user"),
)
@click.option("--to", "target", required=True, metavar="PERSON", help="Who gets them.", shell_complete=names("user"))
@click.option("--only", multiple=True, metavar="PATTERN", help="Only groups whose names fit, like 'Booking*'.")
@click.option("--except", "excepted", multiple=True, metavar="PATTERN", help="Not the groups whose names fit.")
@click.option("--privileged", "named", multiple=True, metavar="GROUP", help="Also this group, though it gives power.")
@click.option("--pick", is_flag=True, help="Pick the groups in the terminal.")
@click.option(
    "--review",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the groups to a CSV file to say yes or no to; once it exists, enact it.",
)
@why_option
@enacting_options
@workspace_option
def copy_memberships(
    source: str,
    target: str,
    only: tuple[str, ...],
    excepted: tuple[str, ...],
    named: tuple[str, ...],
    pick: bool,
    review: Path | None,
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    """Put somebody into groups that list somebody else.

    Groups that give power are left out and listed: privileged groups, groups that lead into one by nesting or by
    rights, and groups that administer hosts. Name, pick or review them one by one to copy them.
    """
    from adzeguard.cli.copying import by_patterns, picked, reviewed, tell_left_out, write_review
    from adzeguard.core.access.peers import copy_candidates
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.rights.power import Powers
    from adzeguard.workspace.by_hand import copied
    from adzeguard.workspace.members import group_called

    if sum((bool(only or excepted or named), pick, review is not None)) > 1:
        raise UsageError("--pick, --review and patterns are three ways of choosing", "Use one of them")
    workspace = opened(folder)
    giver, getter = resolve(workspace.estate, source), resolve(workspace.estate, target)
    candidates = copy_candidates(workspace.estate, giver, getter, Powers(workspace.rights, workspace.privileged).of)
    if review is not None and not review.exists():
        write_review(review, candidates)
        return Exit.TO_REPORT
    if pick:
        chosen = picked(candidates, f"Groups of {giver.qualified_name} for {getter.qualified_name}")
    else:
        chosen = reviewed(review, candidates) if review is not None else by_patterns(candidates, only, excepted)
    groups = [*(candidate.group for candidate in chosen), *(group_called(workspace, name) for name in named)]
    tell_left_out(candidates, {group.id for group in groups}, only, excepted)
    because = why or f"copied from {source}"
    return enact_draft(workspace, lambda: copied(workspace, groups, getter, because), answers)


@command.command(
    "leftovers",
    short_help="Memberships that nobody else with the same work has.",
    epilog=example("adzeguard group leftovers dessa.calder"),
)
@click.argument("person", shell_complete=names("user"))
@listing_options
@workspace_option
def leftovers(person: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Suggest which groups somebody could leave after a change of job.

    Shown are the groups that list them and nobody else of the same department and title. Ends with 3 when there
    are any.
    """
    from adzeguard.core.access.peers import leftovers as find_leftovers
    from adzeguard.core.estate.names import resolve
    from adzeguard.core.views.leftovers import leftovers_table

    workspace = opened(folder)
    somebody = resolve(workspace.estate, person)
    if not somebody.details.get("department"):
        raise UsageError(
            f"{somebody.qualified_name} has no department to compare with", "Set it in the directory first"
        )
    table = leftovers_table(somebody, find_leftovers(workspace.estate, somebody))
    put_view(table, form, output)
    if table.rows and form == "table":
        say("Leave them with: adzeguard group leave PERSON GROUP...")
    return Exit.TO_REPORT if table.rows else Exit.NOTHING_TO_REPORT


add_object_commands(command)
