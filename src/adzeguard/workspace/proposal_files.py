"""Proposals in files: read whole, of a sensible size, and believed in nothing."""

from pathlib import Path

from adzeguard.core.change.proposal import Proposal
from adzeguard.core.change.written import read_proposal
from adzeguard.core.errors import ProposalFileError

_LARGEST_PROPOSAL = 256 * 1024 * 1024
"""A million changes; anything larger is no proposal that somebody reviewed."""


def bytes_of(path: Path) -> bytes:
    """Return what a proposal's file holds; `ProposalFileError` where it cannot be read, or is none."""
    try:
        # A pipe, or a device, could go on for ever.
        if path.exists() and not path.is_file():
            raise ProposalFileError(f"{path} is no file", "Make one: adzeguard propose --output FILE")
        if path.stat().st_size > _LARGEST_PROPOSAL:
            raise ProposalFileError(f"{path} is larger than 256 MiB, which no proposal is", "Propose less at once")
        return path.read_bytes()
    except OSError as error:
        raise ProposalFileError(
            f"{path} cannot be read: {error.strerror}", "Make one: adzeguard propose --output FILE"
        ) from error


def proposal_in(content: bytes, path: Path) -> Proposal:
    """Return the proposal that bytes of a file say; what it says is held against what stands on the road."""
    return read_proposal(content, str(path))
