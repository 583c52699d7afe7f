"""Proposals in files that lie in the workspace, and whether they wait for another person's approval."""

from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Final

from adzeguard.core.change.proposal import Proposal
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.views.approvals import Lying, approvals_table
from adzeguard.core.views.table import Table
from adzeguard.workflows.approval_files import approval_beside
from adzeguard.workspace.approval_needs import approval_needs, approving
from adzeguard.workspace.proposal_files import bytes_of, proposal_in

if TYPE_CHECKING:
    from adzeguard.workspace.open_workspace import Workspace

_LARGEST: Final = 16 * 1024 * 1024
"""Of files that are only looked through; one that is larger is approved by its name."""


def waiting_proposals(workspace: "Workspace") -> Table:
    """Return the proposals in the workspace and in the current folder, newest first."""
    needs = approval_needs(workspace.settings.approval, workspace.estate)
    found = []
    for path, content, proposal in _proposals(workspace):
        needed = any(needs.why(workspace.estate, change) for change in proposal.changes)
        by = _approved_by(workspace, path, content, proposal)
        found.append(Lying(str(path), proposal.made_by, proposal.made_at, len(proposal.changes), needed, by))
    return approvals_table(sorted(found, key=lambda one: one.made_at, reverse=True))


def _proposals(workspace: "Workspace") -> Iterator[tuple[Path, bytes, Proposal]]:
    here, folder = Path.cwd().resolve(), workspace.settings.folder
    for path in sorted({*folder.glob("*.json"), *here.glob("*.json")}):
        try:
            if path.is_file() and path.stat().st_size <= _LARGEST:
                content = bytes_of(path)
                shown = path.relative_to(here) if path.is_relative_to(here) else path
                yield shown, content, proposal_in(content, path)
        except (AdzeguardError, OSError):  # any other JSON, or a file of somebody else's
            continue


def _approved_by(workspace: "Workspace", path: Path, content: bytes, proposal: Proposal) -> str:
    try:
        signature = approval_beside(path)
        if not signature:
            return ""
        whose = approving(workspace.settings.approval, workspace.now())
        return whose.checked(content, proposal, signature, operator=proposal.made_by).by
    except AdzeguardError:  # a signature that does not count is none
        return ""
