"""adzeguard charter diff."""

from contextlib import ExitStack
from pathlib import Path

import click

from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.opening import opened
from adzeguard.cli.options import card_options, example, workspace_option
from adzeguard.cli.output import put_view


@click.command(
    "diff",
    cls=HeadedCommand,
    short_help="Show what another version would change.",
    epilog=example("adzeguard charter diff HEAD~1"),
)
@click.argument("old", default="HEAD")
@click.argument("new", default="")
@card_options
@workspace_option
def diff(old: str, new: str, form: str, output: Path | None, folder: Path | None) -> int:
    """Show which rules differ between two versions of the charter, and what would follow from it.

    OLD and NEW are each a folder, a revision of git, or a file that takes the place of the charter's file with the same
    name. NEW is the charter as it stands unless you name another; OLD is HEAD unless you name another.

    Both versions are compared with the last collection: what a proposal would change, who would gain and lose access,
    what a check would find, and what guards would refuse. Ends with 3 if anything differs. Use --format markdown for a
    merge request.
    """
    from adzeguard.core.views.charter_difference import charter_difference_page
    from adzeguard.settings.charter_versions import version_called
    from adzeguard.settings.charter_yaml import load_charter
    from adzeguard.workspace.charter_difference import charter_difference

    workspace = opened(folder)
    charter = workspace.settings.charter_folder
    with ExitStack() as versions:
        before = load_charter(versions.enter_context(version_called(charter, old)))
        after = load_charter(versions.enter_context(version_called(charter, new))) if new else workspace.written_charter
    found = charter_difference(workspace, before, after)
    page = charter_difference_page(found.rules, found.effect, found.impact, found.refusals, found.sizes)
    put_view(page, form, output)
    return Exit.TO_REPORT if found.changes_anything else Exit.NOTHING_TO_REPORT
