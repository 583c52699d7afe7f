"""Options that several commands share."""

from collections.abc import Callable
from functools import wraps
from pathlib import Path
from typing import Any, TypeVar, cast

import click
from click.core import ParameterSource

from adzeguard.cli.completing import rule_ids
from adzeguard.cli.output import FILTERING
from adzeguard.core.errors import UsageError
from adzeguard.core.limits import NOTHING_NAMED, NamedSizes
from adzeguard.core.values import dataclass
from adzeguard.report.renderers import RENDERERS, formats, formats_of_pages
from adzeguard.workspace.choice import Choice

_TEXT = ("txt", "text", "log")
"""Endings of what is for people."""
_ENDINGS = {"md": "markdown"}
"""Endings that are not called like their form."""
F = TypeVar("F", bound=Callable[..., Any])


def workspace_option(function: F) -> F:
    """--workspace: which workspace a command works in."""
    return click.option(
        "--workspace",
        "folder",
        type=click.Path(path_type=Path),
        metavar="DIR",
        help="Use this workspace, not the nearest one upwards.",
    )(function)


def on_option(function: F) -> F:
    """--on: a host whose own groups and accounts are meant, in place of the directory's."""
    from adzeguard.cli.completing import names

    return click.option(
        "--on",
        "host",
        default="",
        metavar="HOST",
        shell_complete=names("computer"),
        help="On this host: its own, not the directory's.",
    )(function)


def at_option(function: F) -> F:
    """--at: look at a past moment."""
    from adzeguard.cli.moments import MOMENT

    return click.option(
        "--at", "moment", type=MOMENT, metavar="TIME", help="As it stood then: 2026-11-20, yesterday, 3d."
    )(function)


def _format_option(formats: list[str], words: str) -> Callable[[F], F]:
    """--format, from which formats, and what its help says."""
    return click.option("--format", "form", type=click.Choice(formats), default="table", show_default=True, help=words)


def form_option(function: F) -> F:
    """--format of a few rows that a command prints beside what it does."""
    return _format_option(formats(), "Choose the form; json, jsonl and csv have all keys.")(function)


def proposal_form_option(function: F) -> F:
    """--format of a proposal that is shown."""
    return _format_option(formats_of_pages(), "Choose the form; json is the proposal itself.")(function)


def listing_options(function: F) -> F:
    """--format and --output of a listing, and which part of it: --columns, --sort, --where, --limit, --count."""
    return _listing(function, limited=True)


def listing_options_without_limit(function: F) -> F:
    """The same for commands whose own --limit says how much is looked for."""
    return _listing(function, limited=False)


def _listing(function: F, *, limited: bool) -> F:
    @wraps(function)
    def gathered(
        *,
        columns: str,
        sort: str,
        where: tuple[str, ...],
        count: bool,
        quiet: bool,
        most: int | None = None,
        **others: Any,
    ) -> Any:
        from adzeguard.report.filtering import Filtering, columns_of

        click.get_current_context().meta[FILTERING] = Filtering(
            tuple(columns_of(columns)), sort, where, most, count, quiet
        )
        return function(**_with_form_of_file(others, formats()))

    options = [
        _format_option(formats(), "Choose the form; json, jsonl and csv have all keys."),
        click.option("--columns", default="", metavar="A,B,…", help="Show only these columns, by key or heading."),
        click.option("--sort", default="", metavar="COLUMN", help="Sort by a column; -COLUMN reverses the order."),
        click.option(
            "--where",
            multiple=True,
            metavar="COLUMN=TEXT",
            help="Show only rows with this text; TEXT alone looks in all columns.",
        ),
        click.option("--count", is_flag=True, help="Show only the number of rows."),
        click.option("--quiet", is_flag=True, help="Show nothing if there is no row, as for a line of cron."),
    ]
    if limited:
        options.append(
            click.option("--limit", "most", type=click.IntRange(1), metavar="N", help="Show only the first N rows.")
        )
    command: Any = output_option(cast("F", gathered))
    for option in reversed(options):
        command = option(command)
    return cast("F", command)


@dataclass(frozen=True, slots=True)
class Answers:
    """What the operator says beforehand to a command that changes something."""

    yes: bool
    sizes: NamedSizes = NOTHING_NAMED
    """The sizes that the operator has named."""
    form: str = "table"
    only_propose: Path | None = None
    """Where the proposal is written to instead of being enacted."""
    without_approval: str = ""
    """Why it cannot wait for somebody else's yes."""


def without_approval_option(function: F) -> F:
    """--without-approval: why glass is broken."""
    return click.option(
        "--without-approval",
        default="",
        metavar="WHY",
        help="Break glass: say why it cannot wait for approval. All owners are notified.",
    )(function)


def enacting_options(function: F) -> F:
    """--yes, the sizes that must be named past a limit, what is done about approval, and --format of the outcome."""

    @wraps(function)
    def gathered(
        *,
        yes: bool,
        removals: int | None,
        hosts: int | None,
        deletions: int | None,
        new_reach: int | None,
        lookalikes: int | None,
        vanished: int | None,
        form: str,
        only_propose: Path | None,
        without_approval: str,
        **others: Any,
    ) -> Any:
        sizes = NamedSizes(removals, hosts, deletions, new_reach, lookalikes, vanished)
        answers = Answers(yes, sizes, form, only_propose, without_approval)
        return function(answers=answers, **others)

    options = (
        click.option("--yes", is_flag=True, help="Make the changes without asking."),
        click.option("--removals", type=click.IntRange(0), metavar="N", help="Confirm that N members will be removed."),
        click.option(
            "--touching", "hosts", type=click.IntRange(0), metavar="N", help="Confirm that N hosts will be changed."
        ),
        click.option(
            "--deletions", type=click.IntRange(0), metavar="N", help="Confirm that N objects will be deleted."
        ),
        click.option(
            "--new-reach",
            type=click.IntRange(0),
            metavar="N",
            help="Confirm that N people will get a new way into privilege.",
        ),
        click.option(
            "--lookalikes", type=click.IntRange(0), metavar="N", help="Confirm that N names look like others."
        ),
        click.option(
            "--vanished",
            type=click.IntRange(0),
            metavar="N",
            help="Confirm that N SIDs belong to nobody, though no deletion was seen.",
        ),
        click.option(
            "--only-propose",
            type=click.Path(path_type=Path, dir_okay=False),
            metavar="FILE",
            help="Write the proposal to a file instead.",
        ),
        without_approval_option,
        _format_option(formats(), "Choose the form of the outcome."),
    )
    command: Any = gathered
    for option in reversed(options):
        command = option(command)
    return cast("F", command)


def choosing_options(function: F) -> F:
    """--rule, --group, --on and --under: a part of what the charter asks for."""

    @wraps(function)
    def gathered(
        *,
        of_rules: tuple[str, ...],
        of_groups: tuple[str, ...],
        on_hosts: tuple[str, ...],
        under: tuple[str, ...],
        **others: Any,
    ) -> Any:
        return function(choice=Choice(of_rules, of_groups, on_hosts, under), **others)

    options = (
        click.option(
            "--rule",
            "of_rules",
            multiple=True,
            metavar="ID",
            shell_complete=rule_ids,
            help="Only changes of this rule.",
        ),
        click.option(
            "--group", "of_groups", multiple=True, metavar="NAME", help="Only changes of this directory group."
        ),
        click.option("--on", "on_hosts", multiple=True, metavar="PATTERN", help="Only on these hosts, like KIOSK-0*."),
        click.option("--under", multiple=True, metavar="OU", help="Only objects and hosts below this OU."),
    )
    command: Any = gathered
    for option in reversed(options):
        command = option(command)
    return cast("F", command)


def card_options(function: F) -> F:
    """--format and --output of what is one thing rather than a list."""

    @wraps(function)
    def gathered(**given: Any) -> Any:
        return function(**_with_form_of_file(given, formats_of_pages()))

    return cast(
        "F", _format_option(formats_of_pages(), "Choose the form; json has everything.")(output_option(gathered))
    )


def _with_form_of_file(given: dict[str, Any], possible: list[str]) -> dict[str, Any]:
    output = given.get("output")
    return given if output is None else {**given, "form": form_of(given["form"], output, possible)}


def form_of(form: str | None, output: Path, possible: list[str]) -> str | None:
    """Return the format of a file: as --format says, else by its ending; `UsageError` where the two contradict.

    An ending that says nothing is refused too: a table in a file that is called a workbook opens in nothing.
    """
    ending = output.suffix.casefold().removeprefix(".")
    told = "table" if ending in _TEXT else _ENDINGS.get(ending, ending)
    source = click.get_current_context().get_parameter_source("form")
    if form is not None and source is not ParameterSource.DEFAULT:
        if told in RENDERERS and told != form:
            raise UsageError(f"--format {form} and the ending of {output} say two things", "Leave one of them out")
        return form
    if not ending:
        return form
    if told not in possible:
        raise UsageError(
            f"the ending of {output} says no format that there is here",
            f"Let it end in {', '.join(f'.{one}' for one in (_TEXT[0], *possible) if one != 'table')}, or say --format",
        )
    return told


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
