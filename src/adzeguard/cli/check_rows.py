"""What adzeguard check --list and --explain show: the checks themselves."""

from typing import TYPE_CHECKING

from adzeguard.core.views.page import Page
from adzeguard.core.views.table import Table
from adzeguard.workspace.open_workspace import Workspace

if TYPE_CHECKING:
    from adzeguard.core.checks.check import Check


def listed(workspace: Workspace) -> Table:
    """Return all checks with their severity here, whether they are on, and how much each finds now."""
    from adzeguard.core.views.checks import checks_table

    on = {check.id for check in workspace.checks}
    return checks_table(_all(workspace), on, workspace.findings())


def explained(workspace: Workspace, check: str) -> Page:
    """Return what one check finds, why that matters, how to put it right, and what it finds now."""
    from adzeguard.core.errors import UnknownNameError
    from adzeguard.core.views.checks import check_page
    from adzeguard.core.wording import did_you_mean

    known = {one.id: one for one in _all(workspace)}
    if check not in known:
        raise UnknownNameError(
            f"there is no check '{check}'{did_you_mean(check, known)}", "See: adzeguard check --list"
        )
    on = check in {one.id for one in workspace.checks}
    return check_page(known[check], workspace.findings(), on=on)


def _all(workspace: Workspace) -> "list[Check]":
    """Return every check, also those that are off, as much as each matters here."""
    from adzeguard.core.checks.enabled_checks import enabled_checks

    return enabled_checks((), workspace.settings.severities)
