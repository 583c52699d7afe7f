"""Groups that somebody has and nobody else with the same work."""

from collections.abc import Iterable

from adzeguard.core.estate.principal import Principal
from adzeguard.core.views.table import Column, Table


def leftovers_table(person: Principal, left: Iterable[tuple[Principal, int]]) -> Table:
    """Return the groups, each with how many colleagues do without it."""
    rows = [
        {"name": group.name, "qualified_name": group.qualified_name, "sid": group.sid, "peers": peers}
        for group, peers in left
    ]
    columns = (
        Column("name"),
        Column("qualified_name", "Group"),
        Column("sid"),
        Column("peers", "Colleagues without it", kind="number"),
    )
    title = f"Only {person.qualified_name} has these, of {person.details['department']}"
    return Table(rows, columns, title, empty="Nothing that colleagues do not have as well.")
