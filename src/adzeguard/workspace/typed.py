"""What somebody may be typing: names of objects, OUs and enactments, asked of the store without the estate."""

from typing import TYPE_CHECKING

from adzeguard.store import typed_names

if TYPE_CHECKING:
    from adzeguard.core.estate.principal import Kind
    from adzeguard.workspace.open_workspace import Workspace


def names_beginning(workspace: "Workspace", part: str, kinds: "frozenset[Kind]", most: int) -> "list[tuple[str, Kind]]":
    """Return the names of objects that begin with a text, ignoring case, with what each is; sorted."""
    return typed_names.names_beginning(workspace.database, part, kinds, most)


def ou_names(workspace: "Workspace") -> list[str]:
    """Return the distinguished names of all OUs without the base, sorted."""
    return typed_names.ou_names(workspace.database)


def enactments_beginning(workspace: "Workspace", part: str, most: int) -> list[tuple[str, str]]:
    """Return the names of enactments that begin with a text, the latest first, with when and by whom."""
    return typed_names.enactments_beginning(workspace.database, part, most)
