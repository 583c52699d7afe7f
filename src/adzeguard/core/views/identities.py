"""The keys by which every listing names an object."""

from typing import Any

from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.table import Column, data_columns


def identity(p: Principal) -> dict[str, Any]:
    """Return what every listing says of an object."""
    return {
        "name": p.name,
        "qualified_name": p.qualified_name,
        "sid": p.sid,
        "kind": p.label,
        "enabled": p.enabled,
        "state": "" if p.enabled else "disabled",
    }


def identity_columns(title: str) -> tuple[Column, ...]:
    """Return the columns of an object; `title` is what people call it here."""
    return (
        Column("name"),
        Column("qualified_name", title),
        Column("sid"),
        Column("kind", "Kind"),
        *data_columns("enabled"),
        Column("state", "State", kind="word", for_people=True),
    )
