"""Where the signature of a proposal lies: read without what checks it, which is an extra."""

from pathlib import Path
from typing import Final

from adzeguard.core.errors import ApprovalError

SUFFIX: Final = ".approved"
"""What the file of a signature is called beside its proposal."""


def approval_beside(file: Path) -> str:
    """Return the signature that lies beside a proposal; empty where there is none."""
    beside = file.with_name(file.name + SUFFIX)
    try:
        return beside.read_text(encoding="ascii") if beside.exists() else ""
    except (OSError, UnicodeDecodeError) as error:
        raise ApprovalError(f"{beside} cannot be read: {error}") from error
