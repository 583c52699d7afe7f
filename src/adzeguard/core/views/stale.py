"""What is stale: how much of each kind, and each with its reason."""

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from adzeguard.core.cleaning.stale.found import Stale
from adzeguard.core.cleaning.stale.kinds import StaleKind
from adzeguard.core.cleaning.uses import Use
from adzeguard.core.views.table import Column, LateRows, Row, Table, data_columns


def stale_table(
    found: Sequence[Stale],
    kind: StaleKind,
    uses_of: Callable[[Sequence[Stale]], Mapping[int, Sequence[Use]]],
    *,
    named: bool,
) -> Table:
    """Return one row for each stale thing, with how many things name it still; `named` says which.

    `uses_of` finds the uses of some of them, by the ids of their objects; it is asked about those that are shown.
    """

    def made(some: Sequence[Stale]) -> list[Row]:
        uses = uses_of(some)
        return [_row(one, uses.get(one.about.id, ()) if one.about is not None else None) for one in some]

    rows = LateRows(found, made)
    columns = (
        Column("name", "Name"),
        *data_columns("dn", "sid"),
        Column("kind", "Stale", fixed=True),
        Column("why", "Why", wide=True),
        Column("since_at", "Since", kind="moment"),
        Column("uses", "Uses", kind="number"),
        *((Column("named_by", "Named by", wide=True),) if named else ()),
    )
    return Table(rows, columns, f"Stale {kind.label}: {len(rows)}", kind.words.capitalize(), f"No stale {kind.label}.")


def _row(one: Stale, uses: Sequence[Use] | None) -> dict[str, Any]:
    return {
        "name": one.name,
        "dn": one.dn,
        "sid": one.sid,
        "kind": one.sort,
        "why": one.why,
        "since_at": one.since,
        "uses": len(uses) if uses is not None else None,
        "named_by": "; ".join(f"{use.what} {use.where}" for use in uses or ()),
    }


def counts_table(found: Mapping[StaleKind, Sequence[Stale]]) -> Table:
    """Return one row for each kind: how many, of which sorts, and the oldest."""
    rows = []
    for kind, things in found.items():
        sorts: dict[str, int] = {}
        for one in things:
            sorts[one.sort] = sorts.get(one.sort, 0) + 1
        dated = [one for one in things if one.since is not None]
        oldest = min(dated, key=lambda one: one.since or one.since) if dated else None  # type: ignore[arg-type,return-value]
        rows.append(
            {
                "kind": kind.name,
                "count": len({(one.name, one.dn) for one in things}),
                "sorts": ", ".join(f"{count} {sort}" for sort, count in sorts.items()) or "none",
                "oldest": oldest.name if oldest is not None else "",
                "since_at": oldest.since if oldest is not None else None,
            }
        )
    columns = (
        Column("kind", "Kind", fixed=True),
        Column("count", "Stale", kind="number"),
        Column("sorts", "Why", wide=True),
        Column("oldest", "The oldest"),
        Column("since_at", "Since", kind="moment"),
    )
    return Table(rows, columns, "", "Each: adzeguard stale KIND", "Nothing is stale.")
