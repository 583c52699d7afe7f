"""Places of the directory by the names that people type."""

from typing import TYPE_CHECKING

from adzeguard.core.change.by_hand.objects import container_at

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Principal
    from adzeguard.workspace.open_workspace import Workspace


def container_called(workspace: "Workspace", name: str) -> "Principal":
    """Return an OU or container by its DN, which may leave the base away; `UsageError` where there is none."""
    return container_at(workspace.estate, name)
