"""adzeguard timeline."""

from datetime import datetime
from pathlib import Path

import click

from adzeguard.cli.completing import names
from adzeguard.cli.exits import Exit
from adzeguard.cli.moments import MOMENT
from adzeguard.cli.opening import looking
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view, say
from adzeguard.core.errors import UsageError

_FORMS = (".png", ".svg", ".pdf")


@click.command("timeline", epilog=example("adzeguard timeline 'LOWMERE\\Domain Admins' --since 30d"))
@click.argument("group", shell_complete=names("group"))
@click.option("--since", type=MOMENT, metavar="TIME", help="From then on: 2026-11-20, 90d; otherwise 30 days.")
@click.option(
    "--picture",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Draw it: .png, .svg or .pdf.",
)
@card_options
@workspace_option
def command(
    group: str, since: datetime | None, picture: Path | None, form: str, output: Path | None, folder: Path | None
) -> int:
    """Show who was inside GROUP when, nested groups followed as they stood, with leases, decisions and who did it.

    Told by the trail, else by our own journal or by two collections that differ.

    Keys of json: group, since, until, people, decided, gaps.
    """
    from adzeguard.core.views.timeline import timeline_page
    from adzeguard.workspace.past import timeline

    if picture is not None and picture.suffix.casefold() not in _FORMS:
        raise UsageError(f"{picture} cannot be drawn", f"Name a file that ends in {', '.join(_FORMS)}")
    line = timeline(looking(folder), group, since)
    if picture is None:
        put_view(timeline_page(line), form, output)
        return Exit.NOTHING_TO_REPORT
    try:
        from adzeguard.report.timeline_picture import MOST_PEOPLE, draw
    except ModuleNotFoundError as error:
        raise UsageError("drawing needs an extra package", "pip install 'adzeguard[figures]'") from error
    try:
        draw(line, picture)
    except OSError as error:
        raise UsageError(f"{picture} cannot be written: {error.strerror}", "Choose another file") from error
    left = len(line.people) - MOST_PEOPLE
    say(f"Drawn: {picture}{f', without {left} people for whom there is no room' if left > 0 else ''}")
    return Exit.NOTHING_TO_REPORT
