"""adzeguard report."""

from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import example, form_of, workspace_option
from adzeguard.cli.output import put_view
from adzeguard.cli.tables import ListingCommand, OneOf
from adzeguard.core.errors import UsageError
from adzeguard.report.renderers import RENDERERS
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.views.page import Page, Picture
    from adzeguard.core.views.table import Table

_EVERYTHING = 1_000_000
_PICTURES = (
    (
        "Accounts inside privileged groups over time",
        "A line for each privileged group: how many accounts were inside it at each collection.",
    ),
    (
        "How long ago accounts were used",
        "Bars: how many enabled and disabled accounts were used last how long ago.",
    ),
    (
        "People by the hosts that they administer",
        "A matrix: of the hosts of each place, how many each of those who administer most administers.",
    ),
)
_MOMENTS = 60
_PEOPLE = 24


def _reports() -> "list[tuple[str, str]]":
    from adzeguard.core.views.reports import REPORTS

    return [*((name, row.sentence) for name, row in REPORTS.items()), ("all", "one after the other")]


@click.command(
    "report",
    cls=ListingCommand,
    heading="Reports",
    rows=_reports,
    epilog=example("adzeguard report privileged"),
)
@click.argument("name", metavar="REPORT", type=OneOf(_reports))
@click.option("--since", type=MOMENT, metavar="TIME", help="In the report on changes: only since then.")
@click.option(
    "--format",
    "form",
    type=click.Choice(list(RENDERERS)),
    help="Choose the form; without it the ending of --output decides.",
)
@click.option("--output", type=click.Path(path_type=Path, dir_okay=False), metavar="FILE", help="Write it to a file.")
@workspace_option
def command(name: str, since: datetime | None, form: str | None, output: Path | None, folder: Path | None) -> int:
    """Write a report for a manager or an auditor."""
    from adzeguard.core.views.reports import REPORTS, ReportInput, all_reports, with_what_is_beside
    from adzeguard.workflows.asking import demand_of
    from adzeguard.workflows.journal_view import Sought, every_change_table, rows_sought
    from adzeguard.workspace.cleaning import stale_by_kind
    from adzeguard.workspace.reaching import ways_into_privileged

    chosen = (form_of(form, output, list(RENDERERS)) if output is not None else form) or "table"
    if RENDERERS[chosen].of_files_alone and output is None:
        raise UsageError(f"{chosen} is nothing for a terminal", f"Give --output {name}.{chosen}")
    workspace = looking(folder)

    reported = ReportInput(
        workspace.rights,
        workspace.charter,
        workspace.privileged,
        every_change_table(rows_sought(workspace.journal, Sought(_EVERYTHING, since=since))),
        lambda: stale_by_kind(workspace),
        lambda: ways_into_privileged(workspace),
        lambda charter: ((rule.id, demand_of(rule)) for rule in charter.rules),
        workspace.now(),
    )
    view: Table | Page
    try:
        if name == "all":
            view = all_reports(reported, _pictures(workspace) if RENDERERS[chosen].with_pictures else ())
        elif RENDERERS[chosen].for_people:
            view = with_what_is_beside(name, reported)
        else:
            view = REPORTS[name].make(reported)
        put_view(view, chosen, output)
    except ModuleNotFoundError as error:
        raise UsageError("this format needs an extra package", "pip install 'adzeguard[reports]'") from error
    return Exit.NOTHING_TO_REPORT


def _pictures(workspace: Workspace) -> "list[Picture]":
    """Draw what stands beside the tables on a page and on paper."""
    import io

    from adzeguard.core.views import pictures as seen
    from adzeguard.core.views.page import Picture
    from adzeguard.report import pictures

    outs = [io.BytesIO() for _ in _PICTURES]
    estates = (workspace.store.load(at) for at in workspace.store.moments(_MOMENTS))
    pictures.headcount(seen.headcount(estates, workspace.privileged), outs[0])
    pictures.ages(seen.ages(workspace.estate, workspace.now()), outs[1])
    pictures.places(seen.people_by_place(workspace.estate, _PEOPLE), outs[2])
    return [Picture(title, says, out.getvalue()) for (title, says), out in zip(_PICTURES, outs, strict=True)]
