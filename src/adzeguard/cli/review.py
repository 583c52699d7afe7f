"""adzeguard review."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import looking, opened
from adzeguard.cli.options import example, form_option, listing_options, proposal_form_option, workspace_option
from adzeguard.cli.output import put_view, say

if TYPE_CHECKING:
    from adzeguard.core.cleaning.reviewed import Review

_FORMS = ("csv", "xlsx", "html")


@click.group(
    "review",
    cls=CommandGroup,
    alone="list",
    instead={"status": "adzeguard review list"},
    epilog=example("adzeguard review list"),
)
def command() -> None:
    """Ask owners which members of their groups and hosts stay, and remove the others."""


@command.command("start", epilog=example("adzeguard review start --group 'LOWMERE\\First Aiders' --output reviews"))
@click.option("--owner", "owners", multiple=True, metavar="OWNER", help="Only what they own; may be given again.")
@click.option(
    "--group", "groups", multiple=True, metavar="GROUP", shell_complete=names("group"), help="Only these groups."
)
@click.option(
    "--on", "hosts", multiple=True, metavar="HOST", shell_complete=names("computer"), help="Only these hosts."
)
@click.option("--until", type=COMING, metavar="TIME", help="Until when answers are wanted; in 30 days without it.")
@click.option("--form", "forms", multiple=True, type=click.Choice(_FORMS), help="In which form; in all without it.")
@click.option(
    "--output",
    type=click.Path(path_type=Path, file_okay=False),
    required=True,
    metavar="DIR",
    help="The folder that the files are written to.",
)
@form_option
@workspace_option
def start(
    owners: tuple[str, ...],
    groups: tuple[str, ...],
    hosts: tuple[str, ...],
    until: datetime | None,
    forms: tuple[str, ...],
    output: Path,
    form: str,
    folder: Path | None,
) -> int:
    """Write a file for each owner: members of their groups, administrators of their hosts, and their grants.

    The owner of a group is its manager, or the owner of a rule about it. The owner of hosts and grants is the owner of
    their rules. A group or host that you name and nobody owns, or whose owner is inside it, goes to [questions] owner.
    If you name none, groups without an owner are left out and listed. A line that already waits for an answer is not
    asked again.
    """
    from adzeguard.core.views.reviews import written_table
    from adzeguard.workspace.reviewing import begin

    begun = begin(opened(folder), owners, groups, hosts, until)
    written = [(review, str(path)) for review in begun for path in _write(review, forms, output)]
    put_view(written_table(written), form)
    if form == "table":
        say("Next, when files come back: adzeguard review read FILE...")
    return Exit.NOTHING_TO_REPORT


@command.command("write", epilog=example("adzeguard review write --help"))
@click.argument("review_id", metavar="REVIEW")
@click.option("--form", "forms", multiple=True, type=click.Choice(_FORMS), help="In which form; in all without it.")
@click.option(
    "--output", type=click.Path(path_type=Path, file_okay=False), required=True, metavar="DIR", help="Where to."
)
@form_option
@workspace_option
def write(review_id: str, forms: tuple[str, ...], output: Path, form: str, folder: Path | None) -> int:
    """Write the files of a review again, with what was answered so far."""
    from adzeguard.core.views.reviews import written_table
    from adzeguard.workspace.reviewing import review_called

    review = review_called(opened(folder), review_id)
    put_view(written_table([(review, str(path)) for path in _write(review, forms, output)]), form)
    return Exit.NOTHING_TO_REPORT


@command.command("read", epilog=example("adzeguard review read --help"))
@click.argument(
    "files", nargs=-1, required=True, metavar="FILE...", type=click.Path(path_type=Path, dir_okay=False, exists=True)
)
@form_option
@workspace_option
def read(files: tuple[Path, ...], form: str, folder: Path | None) -> int:
    """Read the answers from files that come back. A file in which anything else was changed is refused.

    An answer that was given before and is empty now stays. Nothing is removed yet: see review propose.
    """
    from adzeguard.core.views.reviews import taken_table
    from adzeguard.report.review_forms.forms import read_back
    from adzeguard.workspace.reviewing import take_answers

    taken = list(take_answers(opened(folder), (read_back(path) for path in files)))
    put_view(taken_table(taken), form)
    out = [review.id for review, _ in taken if review.taken_out]
    if out and form == "table":
        say(f"Next: adzeguard review propose {' '.join(out)} --output FILE")
    return Exit.NOTHING_TO_REPORT


@command.command("list", epilog=example("adzeguard review list"))
@listing_options
@workspace_option
def status(form: str, output: Path | None, folder: Path | None) -> int:
    """Show each review: whose, until when, how much is answered, and how much of that is to be taken out."""
    from adzeguard.workspace.reviewing import listed

    put_view(listed(looking(folder)), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("propose", epilog=example("adzeguard review propose --help"))
@click.argument("review_ids", nargs=-1, required=True, metavar="REVIEW...")
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the proposal to a file, to look at and enact.",
)
@proposal_form_option
@workspace_option
def propose(review_ids: tuple[str, ...], output: Path | None, form: str, folder: Path | None) -> int:
    """Propose to remove the members that the answers say, each with its reason.

    A member who is inside through another group is left out, because the owner of that group decides. Ends with 3 if
    there are changes.
    """
    from adzeguard.cli.propose import write_proposal
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.workspace.reviewing import proposed_by_answers

    made = proposed_by_answers(opened(folder), review_ids)
    if output is not None:
        write_proposal(made, output)
    put_view(proposal_page(made.proposal), "table" if output is not None else form)
    for reason in made.past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if made.proposal.changes else Exit.NOTHING_TO_REPORT


def _write(review: "Review", forms: tuple[str, ...], folder: Path) -> list[Path]:
    from adzeguard.private_files import write_result
    from adzeguard.report.review_forms.forms import written

    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    paths = []
    for form in forms or _FORMS:
        path = folder / f"{review.id}.{form}"
        write_result(path, written(review, form))
        paths.append(path)
    return paths
