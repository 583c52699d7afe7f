"""What is put away, until when, by whom and why."""

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Final

from adzeguard.core.cleaning.deleted import Deleted
from adzeguard.core.cleaning.retired import happened_since
from adzeguard.core.cleaning.uses import Use
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Principal
from adzeguard.core.time.put_away import Retired
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import counted_noun

_READY: Final = "may be deleted"


def retired_table(
    estate: Estate, things: Sequence[tuple[Retired, Principal]], uses: Mapping[str, Sequence[Use]], now: datetime
) -> Table:
    """Return one row for each, with what names it still by its key, groups that list it left out."""
    rows = [
        {
            "name": one.name,
            "dn": thing.dn,
            "from": one.dn,
            "was": short_dn(estate, one.dn),
            "since_at": one.at,
            "until_at": one.until,
            "by": one.by,
            "why": one.why,
            "state": happened_since(one, thing) or (_READY if one.until <= now else "waits"),
            "named": sum(use.what != "membership" for use in uses.get(one.id, ())),
        }
        for one, thing in things
    ]
    columns = (
        Column("name", "Name"),
        *data_columns("dn", "from"),
        Column("was", "Was", for_people=True, wide=True),
        Column("since_at", "Since", kind="moment"),
        Column("until_at", "Until", kind="moment"),
        Column("by", "By"),
        Column("why", "Why", wide=True),
        Column("state", "State", for_people=True),
        Column("named", "Named by", kind="number", for_people=True),
    )
    ready = sum(row["state"] == _READY for row in rows)
    note = f"{len(rows)} put away, {ready} may be deleted: adzeguard retire finish" if rows else ""
    return Table(rows, columns, "", note, "Nothing is put away.")


def deleted_table(estate: Estate, things: Sequence[tuple[Deleted, bool, str]]) -> Table:
    """Return one row for each of what was deleted: whether it comes back with its SID, and who remembers it."""
    rows = [
        {
            "name": one.name,
            "kind": one.kind.label,
            "sid": one.sid,
            "from": one.dn,
            "was": short_dn(estate, one.dn),
            "deleted_at": one.at,
            "same_sid": is_kept,
            "comes_back": "with its SID" if is_kept else "made anew",
            "remembered_by": source,
        }
        for one, is_kept, source in things
    ]
    columns = (
        Column("name", "Name"),
        Column("kind", "Kind"),
        *data_columns("sid", "from", "same_sid"),
        Column("was", "Was", for_people=True, wide=True),
        Column("deleted_at", "Deleted", kind="moment"),
        Column("comes_back", "Comes back", for_people=True),
        Column("remembered_by", "Remembered by"),
    )
    note = f"{counted_noun(len(rows), 'object')}: adzeguard retire restore --deleted NAME" if rows else ""
    return Table(rows, columns, "", note, "Nothing that was deleted can be restored.")
