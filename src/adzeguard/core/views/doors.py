"""Doors into hosts, one by one and counted."""

from collections.abc import Iterable, Mapping, Sequence
from types import MappingProxyType

from adzeguard.core.access.doors import Door, DoorCount
from adzeguard.core.views.table import Column, Table, data_columns

_KINDS = {"group": "group of the directory", "direct": "direct entry", "local": "local account"}


def doors_table(
    doors: Iterable[tuple[Door, str]],
    title: str,
    note: str = "",
    needed: Mapping[tuple[str, str], Sequence[str]] = MappingProxyType({}),
) -> Table:
    """Return one row for each way of each person into each host, with what becomes of it.

    `needed` are, by person and host, programs that somebody who loses it ran there elevated.
    """
    rows = [
        {
            "person": door.person,
            "person_sid": door.sid,
            "host": door.host,
            "door": door.door,
            "through": door.through,
            "path": door.path,
            "after": becomes,
            "needs": ", ".join(needed.get((door.sid, door.host), ())) if becomes == "loses" else "",
        }
        for door, becomes in doors
    ]
    columns = (
        Column("person", "Person"),
        *data_columns("person_sid"),
        Column("host", "Host"),
        Column("door", "Door", kind="word"),
        Column("through", "Through"),
        Column("path"),
        Column("after", "After", kind="word"),
        *([Column("needs", "Ran elevated there", wide=True)] if needed else data_columns("needs")),
    )
    return Table(rows, columns, title, note, empty="Nobody gets in.")


def counted_table(counts: Iterable[DoorCount]) -> Table:
    """Return each door with how many people come through it into how many hosts."""
    rows = [
        {"through": one.through, "door": one.door, "what": _KINDS[one.door], "people": one.people, "hosts": one.hosts}
        for one in counts
    ]
    columns = (
        Column("through", "Through", wide=True),
        Column("door"),
        Column("what", "Door", for_people=True),
        Column("people", "People", kind="number"),
        Column("hosts", "Hosts", kind="number"),
    )
    note = "doors PERSON or doors HOST shows them one by one; doors --all all of them"
    return Table(rows, columns, "Doors into hosts, those that let in most first", note, empty="Nobody gets in.")
