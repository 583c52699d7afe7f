"""adzeguard grant."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any, NoReturn, TypeVar

import click

from adzeguard.cli.completing import containers, names
from adzeguard.cli.completing import duties as duties_known
from adzeguard.cli.enacting import enact_draft
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import (
    Answers,
    at_option,
    enacting_options,
    example,
    listing_options,
    output_option,
    why_option,
    workspace_option,
)
from adzeguard.cli.output import put, put_view, say
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.rights.duty_words import Extent

F = TypeVar("F", bound=Callable[..., Any])


class _Grants(CommandGroup):
    """Says what somebody who begins with a name may have meant."""

    def refuse(self, ctx: click.Context, args: list[str], names: list[str]) -> NoReturn:
        """Tell the right line for "grant WHO …"."""
        import shlex

        if len(args) == 1 or args[0] in self.instead:
            super().refuse(ctx, args, names)
        line = shlex.join(["adzeguard", "grant", "give", *args])
        over = "" if "--over" in args else " --over OBJECT"
        ctx.fail(f"There is no command 'grant {args[0]}'. To give something: {line}{over}")


@click.group(
    "grant",
    cls=_Grants,
    alone="list",
    instead={"show": "adzeguard grant list", "add": "adzeguard grant give"},
    epilog=example("adzeguard grant list --over 'OU=Booking Office,OU=People'"),
)
def command() -> None:
    """Give, deny and withdraw rights over OUs, groups and other objects; alone, list them."""


def named_object(workspace: Workspace, name: str) -> "Principal":
    """Return an object by its DN, which may leave the base away, or by its name."""
    from adzeguard.core.estate.names import resolve

    return resolve(workspace.estate, name)


def _over_option(function: F) -> F:
    return click.option(
        "--over",
        required=True,
        metavar="OBJECT",
        shell_complete=containers,
        help="An OU by its DN, or a group or another object by its name.",
    )(function)


def _extent_options(function: F) -> F:
    for flag, words in (
        ("this-and-below", "Over the OU and what lies below."),
        ("below", "Over what lies below the OU."),
        ("this", "Over the object alone."),
    ):
        function = click.option(f"--{flag}", "extent", flag_value=flag, help=words)(function)
    return click.option(
        "--only-for", multiple=True, metavar="CLASS", help="Only over objects of this class, such as user."
    )(function)


def _what_is_given(function: F) -> F:
    """Whom, what, over which object and why: the same for what is given and what is denied."""
    parts = (
        click.argument("who", shell_complete=names("group")),
        click.argument("duties", nargs=-1, required=True, metavar="DUTY...", shell_complete=duties_known),
        _over_option,
        _extent_options,
        why_option,
        enacting_options,
        workspace_option,
    )
    for part in reversed(parts):
        function = part(function)
    return function


def _given(
    *,
    deny: bool,
    who: str,
    duties: tuple[str, ...],
    over: str,
    extent: "Extent | None",
    only_for: tuple[str, ...],
    why: str,
    answers: Answers,
    folder: Path | None,
) -> int:
    from adzeguard.workspace.by_hand import GrantAsked, granted

    workspace = opened(folder)
    asked = GrantAsked(who, duties, over, deny, extent, only_for)
    return enact_draft(workspace, lambda: granted(workspace, asked, why), answers)


@command.command(
    "give",
    epilog=example("adzeguard grant give 'Booking Office Leads' password-help --over 'OU=Booking Office,OU=People'"),
)
@_what_is_given
def give(**asked: Any) -> int:
    """Give somebody duties over an object. What stands already is not added again.

    A duty is one that grant duties lists, or a single right: read:ATTRIBUTE, write:ATTRIBUTE, create:CLASS,
    delete-child:CLASS, control:RIGHT, validated:WRITE.
    """
    return _given(deny=False, **asked)


@command.command("deny", epilog=example("adzeguard grant deny 'Service Desk' everything --over 'Harbour Operators'"))
@_what_is_given
def deny(**asked: Any) -> int:
    """Deny somebody duties over an object. A denial wins over what is given; what it wins over is shown first."""
    return _given(deny=True, **asked)


@command.command("withdraw", epilog=example("adzeguard grant withdraw mira.holt --over 'OU=Engine Room,OU=People'"))
@click.argument("who", shell_complete=names())
@click.argument("duties", nargs=-1, metavar="[DUTY...]", shell_complete=duties_known)
@_over_option
@click.option("--denied", is_flag=True, help="Withdraw denials instead of grants.")
@why_option
@enacting_options
@workspace_option
def withdraw(
    who: str, duties: tuple[str, ...], over: str, denied: bool, why: str, answers: Answers, folder: Path | None
) -> int:
    """Take duties away again, or all that somebody has over an object.

    Exactly the entries of that grant go. Withdraw a grant that comes from above there.
    """
    from adzeguard.workspace.by_hand import GrantAsked, withdrawn

    workspace = opened(folder)
    asked = GrantAsked(who, duties, over, denied)
    return enact_draft(workspace, lambda: withdrawn(workspace, asked, why), answers)


@command.command("duties", epilog=example("adzeguard grant duties"))
@listing_options
@workspace_option
def duties_command(form: str, output: Path | None, folder: Path | None) -> int:
    """List the duties and what each lets one do. A charter adds its own under duties:."""
    from adzeguard.core.views.rights import duties_table

    put_view(duties_table(looking(folder).rights), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("list", epilog=example("adzeguard grant list --to 'Service Desk'"))
@click.option(
    "--over", metavar="OBJECT", shell_complete=containers, help="Only grants over this object, from above included."
)
@click.option("--to", "who", metavar="NAME", shell_complete=names(), help="Only grants to this principal.")
@click.option("--defaults", is_flag=True, help="Also list grants that every such object has.")
@listing_options
@at_option
@workspace_option
def list_command(
    over: str | None,
    who: str | None,
    defaults: bool,
    form: str,
    output: Path | None,
    moment: datetime | None,
    folder: Path | None,
) -> int:
    """Show what was given and denied, in words, and whether a rule says so; with --over also what comes from above."""
    from adzeguard.core.review.documented import documented_entries
    from adzeguard.core.rights.delegations import sorted_for_people
    from adzeguard.core.views.rights import grants_table

    workspace = looking(folder, moment)
    charter = workspace.charter_if_readable("What is written down is not said")
    rights, folded = workspace.rights if charter is not None else workspace.standard_rights, 0
    if over is not None:
        target = named_object(workspace, over)
        listed = rights.grants_over(target, defaults=defaults)
        folded = 0 if defaults or who else rights.of_every_domain(target)
    else:
        listed = sorted_for_people(rights.own_grants(defaults=defaults))
    if who is not None:
        holder = named_object(workspace, who)
        listed = [d for d in listed if d.holder.sid == holder.sid]
    documented = documented_entries(rights, charter) if charter is not None else None
    put_view(grants_table(listed, documented, folded), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("map", epilog=example("adzeguard grant map --output grants.png"))
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Draw a picture (.png, .svg or .pdf), or write .csv; otherwise CSV is printed.",
)
@workspace_option
def map_command(output: Path | None, folder: Path | None) -> int:
    """Draw who holds what over which OU, as a matrix."""
    from adzeguard.core.rights.delegations import sorted_for_people
    from adzeguard.core.views.rights import matrix_of, matrix_table

    matrix = matrix_of(sorted_for_people(looking(folder).rights.own_grants()))
    if output is None or output.suffix.casefold() == ".csv":
        put_view(matrix_table(matrix), "csv", output)
        return Exit.NOTHING_TO_REPORT
    if output.suffix.casefold() not in (".png", ".svg", ".pdf"):
        raise UsageError(f"'{output}' is no picture", "Name it .png, .svg, .pdf or .csv")
    try:
        from adzeguard.report.grant_map import MOST_HOLDERS, MOST_PLACES, draw
    except ModuleNotFoundError as error:
        raise UsageError("drawing needs an extra package", "pip install 'adzeguard[figures]'") from error
    if len(matrix.holders) > MOST_HOLDERS or len(matrix.places) > MOST_PLACES:
        size = f"{len(matrix.holders)} holders and {len(matrix.places)} places"
        raise UsageError(f"{size} are too many to draw", "Write .csv instead")
    draw(matrix, output)
    say(f"Written to {output}")
    return Exit.NOTHING_TO_REPORT


@command.command("document", epilog=example("adzeguard grant document --output grants.yaml"))
@output_option
@workspace_option
def document(output: Path | None, folder: Path | None) -> int:
    """Write rules for the grants that stand and that no rule says, each with a place for its reason.

    Write the reasons, then put the file into the charter's folder. A grant that fits no duty is written right by right;
    one that no rule can say becomes a comment.
    """
    from adzeguard.core.adopting.document import documenting_rules

    workspace = opened(folder)
    put(documenting_rules(workspace.rights, workspace.charter), output)
    return Exit.NOTHING_TO_REPORT
