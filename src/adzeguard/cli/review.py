"""adzeguard review."""

from dataclasses import replace
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.groups import CommandGroup
from adzeguard.cli.moments import COMING
from adzeguard.cli.opening import opened
from adzeguard.cli.options import example, listing_options, workspace_option
from adzeguard.cli.output import put, put_view, say
from adzeguard.core.errors import UsageError
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from collections.abc import Iterable

    from adzeguard.core.cleaning.reviewed import Item, Review
    from adzeguard.core.estate.hosts import Host

_FORMS = ("csv", "xlsx", "html")
_USUAL_WAIT = timedelta(days=30)


@click.group(
    "review", cls=CommandGroup, instead={"list": "adzeguard review status"}, epilog=example("adzeguard review status")
)
def command() -> None:
    """Ask owners who of those inside what they own is to be kept, and take out who is not."""


@command.command("start", epilog=example("adzeguard review start --group 'LOWMERE\\First Aiders' --output reviews"))
@click.option("--owner", "owners", multiple=True, metavar="OWNER", help="Only what they own; may be given again.")
@click.option(
    "--group", "groups", multiple=True, metavar="GROUP", shell_complete=names("group"), help="Only these groups."
)
@click.option(
    "--host", "hosts", multiple=True, metavar="HOST", shell_complete=names("computer"), help="Only these hosts."
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
@workspace_option
def start(
    owners: tuple[str, ...],
    groups: tuple[str, ...],
    hosts: tuple[str, ...],
    until: datetime | None,
    forms: tuple[str, ...],
    output: Path,
    folder: Path | None,
) -> int:
    """Write for each owner what they own: groups, administrators of hosts and grants, with how each got in.

    A group is owned by its manager, or by the owner of a rule about it; hosts and grants by the owners of their rules.
    What nobody owns, or what its owner is inside of themselves, goes to [questions] owner.
    """
    from adzeguard.core.cleaning.reviewed import Owned, Review, items_by_owner, with_origins
    from adzeguard.core.estate.names import resolve
    from adzeguard.store.reviews import Reviews
    from adzeguard.workflows.origins import origins_of_pairs

    workspace = opened(folder)
    estate, now = workspace.estate, workspace.now()
    named_groups = [resolve(estate, name) for name in groups] if groups or hosts else None
    named_hosts = [_host(workspace, name) for name in hosts] if groups or hosts else None
    owned = Owned(workspace.rights, workspace.charter, workspace.settings.questions.owner)
    by_owner = items_by_owner(owned, named_groups, named_hosts)
    if owners:
        by_owner = {
            owner: items for owner, items in by_owner.items() if owner.casefold() in {o.casefold() for o in owners}
        }
    if not by_owner:
        raise UsageError(
            "nobody owns anything of that", "Note managers of groups, owners of rules, or [questions] owner"
        )
    origins = origins_of_pairs(_pairs(by_owner.values()), workspace.past)
    reviews = Reviews(workspace.database)
    with workspace.held("review start"):
        number = max((int(one.id[1:]) for one in reviews.all()), default=0)
        for owner, items in sorted(by_owner.items()):
            number += 1
            review = Review(
                f"R{number}",
                owner,
                now,
                until or now + _USUAL_WAIT,
                workspace.operator(),
                tuple(with_origins(items, origins)),
            )
            reviews.write(review)
            for path in _write(review, forms, output):
                put(f"{review.id}  {owner}  {len(review.items)} lines  {path}\n")
    return Exit.NOTHING_TO_REPORT


@command.command("write", epilog=example("adzeguard review write --help"))
@click.argument("review_id", metavar="REVIEW")
@click.option("--form", "forms", multiple=True, type=click.Choice(_FORMS), help="In which form; in all without it.")
@click.option(
    "--output", type=click.Path(path_type=Path, file_okay=False), required=True, metavar="DIR", help="Where to."
)
@workspace_option
def write(review_id: str, forms: tuple[str, ...], output: Path, folder: Path | None) -> int:
    """Write the files of a review again, with what was answered so far."""
    from adzeguard.store.reviews import Reviews

    for path in _write(Reviews(opened(folder).database).one(review_id), forms, output):
        put(f"{path}\n")
    return Exit.NOTHING_TO_REPORT


@command.command("read", epilog=example("adzeguard review read --help"))
@click.argument(
    "files", nargs=-1, required=True, metavar="FILE...", type=click.Path(path_type=Path, dir_okay=False, exists=True)
)
@workspace_option
def read(files: tuple[Path, ...], folder: Path | None) -> int:
    """Take the answers of files that come back. A file in which anything else was changed is refused whole.

    What was answered before and is empty now stays answered. Nothing is taken out yet: see review propose.
    """
    from adzeguard.core.cleaning.reviewed import checked_answers
    from adzeguard.report.review_forms.forms import read_back
    from adzeguard.store.reviews import Reviews

    workspace = opened(folder)
    reviews = Reviews(workspace.database)
    with workspace.held("review read"):
        for path in files:
            returned = read_back(path)
            review = reviews.one(returned.review)
            answers = checked_answers(review, returned.rows, returned.at)
            answered = replace(review, answers={**review.answers, **answers})
            reviews.write(answered)
            put(f"{review.id}  {len(answers)} answers, {answered.unanswered} of {len(review.items)} wait still\n")
    return Exit.NOTHING_TO_REPORT


@command.command("status", epilog=example("adzeguard review status"))
@listing_options
@workspace_option
def status(form: str, output: Path | None, folder: Path | None) -> int:
    """Show each review: whose, until when, how much is answered, and how much of that is to be taken out.

    Keys of json and csv: id, owner, made_at, until, items, answered, take_out, overdue.
    """
    from adzeguard.core.views.reviews import reviews_table
    from adzeguard.store.reviews import Reviews

    workspace = opened(folder)
    put_view(reviews_table(Reviews(workspace.database).all(), workspace.now()), form, output)
    return Exit.NOTHING_TO_REPORT


@command.command("propose", epilog=example("adzeguard review propose --help"))
@click.argument("review_ids", nargs=-1, required=True, metavar="REVIEW...")
@click.option(
    "--output",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Write the proposal to a file, to look at and enact.",
)
@workspace_option
def propose(review_ids: tuple[str, ...], output: Path | None, folder: Path | None) -> int:
    """Show what takes out whom the answers say, each with its reason; with --output to be enacted from there.

    Who is inside through another group is left out: that group's owner says. Ends with 3 when there are changes.
    """
    from adzeguard.cli.propose import write_proposal
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.cleaning.reviewed import what_answers_ask_for
    from adzeguard.core.views.changes import proposal_page
    from adzeguard.store.reviews import Reviews

    workspace = opened(folder)
    reviews = Reviews(workspace.database)
    with workspace.held("review propose"):
        drafts = [what_answers_ask_for(workspace.estate, reviews.one(name)) for name in review_ids]
        changes = tuple(change for draft in drafts for change in draft.changes)
        made = workspace.proposed(Draft(changes, tuple(left for draft in drafts for left in draft.left_out)))
    if output is not None:
        write_proposal(made, output)
    put_view(proposal_page(made.proposal), "table")
    for reason in made.past_limits:
        say(f"Past a limit: {reason}")
    return Exit.TO_REPORT if made.proposal.changes else Exit.NOTHING_TO_REPORT


def _write(review: "Review", forms: tuple[str, ...], folder: Path) -> list[Path]:
    from adzeguard.private_files import write_whole
    from adzeguard.report.review_forms.forms import written

    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    paths = []
    for form in forms or _FORMS:
        path = folder / f"{review.id}.{form}"
        write_whole(path, written(review, form))
        paths.append(path)
    return paths


def _pairs(several: "Iterable[list[Item]]") -> list[tuple[str, str]]:
    return [(item.where_sid, item.member_sid) for items in several for item in items if item.what == "group"]


def _host(workspace: Workspace, name: str) -> "Host":
    host = workspace.estate.host_named(name)
    if host is None:
        raise UsageError(f"there is no host '{name}'", "See: adzeguard hosts list")
    return host
