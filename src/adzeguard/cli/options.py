"""Options that several commands share."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import wraps
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar, cast

import click

from adzeguard.report.renderers import RENDERERS, formats_of_pages

if TYPE_CHECKING:
    from adzeguard.core.limits import NamedSizes

F = TypeVar("F", bound=Callable[..., Any])


def workspace_option(function: F) -> F:
    """--workspace: which workspace a command works in."""
    return click.option(
        "--workspace",
        type=click.Path(path_type=Path),
        metavar="DIR",
        help="The workspace; otherwise the nearest one from the current folder upwards.",
    )(function)


def at_option(function: F) -> F:
    """--at: look at a past moment."""
    from adzeguard.cli.moments import MOMENT

    return click.option(
        "--at", "moment", type=MOMENT, metavar="TIME", help="As it stood then: 2026-11-20, yesterday, 3d."
    )(function)


def listing_options(function: F) -> F:
    """--format and --output of a listing."""
    with_output = output_option(function)
    return click.option(
        "--format",
        "form",
        type=click.Choice(list(RENDERERS)),
        default="table",
        show_default=True,
        help="table for people; json and csv with all keys.",
    )(with_output)


@dataclass(frozen=True, slots=True)
class Answers:
    """What the operator says beforehand to a command that changes something."""

    yes: bool
    removals: int | None
    hosts: int | None
    deletions: int | None
    new_reach: int | None
    form: str

    @property
    def sizes(self) -> "NamedSizes":
        """The sizes that the operator has named."""
        from adzeguard.core.limits import NamedSizes

        return NamedSizes(self.removals, self.hosts, self.deletions, self.new_reach)


def enacting_options(function: F) -> F:
    """--yes, the sizes that must be named past a limit, and --format of what became of each change."""

    @wraps(function)
    def gathered(
        *,
        yes: bool,
        removals: int | None,
        hosts: int | None,
        deletions: int | None,
        new_reach: int | None,
        form: str,
        **others: Any,
    ) -> Any:
        return function(answers=Answers(yes, removals, hosts, deletions, new_reach, form), **others)

    options = (
        click.option("--yes", is_flag=True, help="Do not ask. Needed where there is no terminal."),
        click.option("--removals", type=click.IntRange(0), metavar="N", help="How many members a large one removes."),
        click.option("--hosts", type=click.IntRange(0), metavar="N", help="How many hosts a large proposal touches."),
        click.option("--deletions", type=click.IntRange(0), metavar="N", help="How many objects the proposal deletes."),
        click.option(
            "--new-reach", type=click.IntRange(0), metavar="N", help="How many people get a new way into privilege."
        ),
        click.option(
            "--format",
            "form",
            type=click.Choice(list(RENDERERS)),
            default="table",
            show_default=True,
            help="How to show the outcome.",
        ),
    )
    command: Any = gathered
    for option in reversed(options):
        command = option(command)
    return cast("F", command)


def card_options(function: F) -> F:
    """--format and --output of what is one thing rather than a list."""
    return click.option(
        "--format",
        "form",
        type=click.Choice(formats_of_pages()),
        default="table",
        show_default=True,
        help="table for people; json has all of it.",
    )(output_option(function))


def output_option(function: F) -> F:
    """--output of what can go to a file."""
    return click.option(
        "--output",
        type=click.Path(path_type=Path, dir_okay=False),
        metavar="FILE",
        help="Write to a file that only you can read.",
    )(function)


def why_option(function: F) -> F:
    """--why: the reason that stands in the journal."""
    return click.option("--why", default="", metavar="TEXT", help="Why; it stands in the journal.")(function)


def example(text: str) -> str:
    """Return the last lines of a help text: an example to paste."""
    return f"Example: {text}"


workers_option = click.option(
    "--workers", default="", metavar="dask://HOST:PORT", help="Let a Dask cluster work with the hosts."
)
"""For fleets that one machine is too slow for."""
