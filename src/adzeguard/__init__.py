"""Adzeguard: who is in privileged groups, who should be, and putting it right.

As a library: `with adzeguard.open("my-workspace") as workspace: workspace.who("Domain Admins")`. See docs/python.md.
"""

from typing import TYPE_CHECKING, Any

from adzeguard.core.errors import AdzeguardError

if TYPE_CHECKING:
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.workspace.face import Workspace, open  # noqa: A004 - as `io.open` is called

__version__ = "0.1.0"
__all__ = ["AdzeguardError", "Proposal", "Workspace", "__version__", "open"]
_WHERE = {
    "Proposal": "adzeguard.core.change.proposal",
    "Workspace": "adzeguard.workspace.face",
    "open": "adzeguard.workspace.face",
}


def __getattr__(name: str) -> Any:
    """Import what a program asks for only then: commands start without it."""
    if name not in _WHERE:
        raise AttributeError(f"adzeguard has no {name}")
    from importlib import import_module

    return getattr(import_module(_WHERE[name]), name)
