"""What names an object."""

from collections import Counter
from collections.abc import Sequence

from adzeguard.core.cleaning.orphans import Orphan
from adzeguard.core.cleaning.uses import Use
from adzeguard.core.views.table import Column, Table


def uses_table(uses: Sequence[Use], name: str) -> Table:
    """Return one row for each use."""
    rows = [{"what": one.what, "where": one.where, "detail": one.detail} for one in uses]
    columns = (
        Column("what", "What", fixed=True),
        Column("where", "Where"),
        Column("detail", "Detail", wide=True),
    )
    counts = ", ".join(f"{count} {what}" for what, count in Counter(one.what for one in uses).items())
    return Table(rows, columns, f"What names {name}", counts, f"Nothing names {name}.")


def orphans_table(found: Sequence[Orphan]) -> Table:
    """Return one row for each place where a SID stands that belongs to nothing."""
    rows = [{"sid": one.sid, "what": one.what, "where": one.where, "detail": one.detail} for one in found]
    columns = (
        Column("sid", "SID"),
        Column("what", "What", fixed=True),
        Column("where", "Where", wide=True),
        Column("detail", "Detail"),
    )
    sids = len({one.sid for one in found})
    note = f"{sids} SID{'s' * (sids != 1)} in {len(rows)} places; adzeguard tidy takes them out" if rows else ""
    return Table(
        rows, columns, "What belongs to nothing any more", note, "Every SID of the domain belongs to something."
    )
