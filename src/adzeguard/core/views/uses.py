"""What names an object."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from typing import Final

from adzeguard.core.cleaning.orphans import Orphan
from adzeguard.core.cleaning.uses import Use
from adzeguard.core.views.table import Column, Table
from adzeguard.core.wording import some_of


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


def orphans_table(found: Sequence[Orphan], seen_deleted: AbstractSet[str]) -> Table:
    """Return one row for each place where a SID stands that belongs to nothing."""
    rows = [
        {
            "sid": one.sid,
            "seen": "deleted" if one.sid in seen_deleted else "vanished",
            "what": one.what,
            "where": one.where,
            "detail": one.detail,
        }
        for one in found
    ]
    columns = (
        Column("sid", "SID"),
        Column("seen", "Seen", fixed=True),
        Column("what", "What", fixed=True),
        Column("where", "Where", wide=True),
        Column("detail", "Detail"),
    )
    sids = len({one.sid for one in found})
    vanished = len({one.sid for one in found} - seen_deleted)
    way = f"adzeguard retire tidy{f' --vanished {vanished}' if vanished else ''}"
    places = f"{len(rows)} place{'s' * (len(rows) != 1)}"
    note = f"{sids} SID{'s' * (sids != 1)} in {places}; taken out by: {way}" if rows else ""
    return Table(
        rows, columns, "SIDs that no longer belong to anyone", note, "Every SID of the domain belongs to something."
    )


_STAYS: Final[Mapping[str, str]] = {
    "rule": "{count} rule{s} of the charter name{es} it, to be changed: {places}",
    "roster": "{count} roster{s} name{es} it, to be changed: {places}",
    "local-group": ("local groups on {count} host{s} hold it and will hold a SID that resolves to nothing: {places}"),
    "grant": "it holds rights over {count} object{s}, which will name a SID that resolves to nothing: {places}",
    "denial": "it is denied rights over {count} object{s}, which will name a SID that resolves to nothing: {places}",
    "refusal": "it is refused logon on {count} host{s}: {places}",
    "elevation": "it may run programs elevated on {count} host{s}: {places}",
    "lease": "{count} lease{s} name{es} it: {places}",
    "waiver": "{count} waiver{s} name{es} it: {places}",
    "managed-by": "it answers for {count} object{s}: {places}",
    "owner": "it owns {count} object{s}: {places}",
    "policy-filter": "{count} directory polic{ies} appl{ies_verb} to its members: {places}",
    "share-denial": (
        "it is denied on {count} folder{s} of file shares, and who is kept out by it alone gets in: {places}"
    ),
    "share": "it stands in the permissions of {count} folder{s} of file shares: {places}",
}
"""What stays behind where an object is deleted, by the kinds of uses. Its own memberships go with it."""
_WITH_DETAIL: Final = frozenset({"rule", "local-group", "elevation", "share", "share-denial"})


def staying_behind(uses: Iterable[Use]) -> Iterator[str]:
    """Yield a line for each kind of place that goes on naming an object when it is gone."""
    by_kind: dict[str, list[str]] = {}
    for use in uses:
        if use.what in _STAYS:
            detail = f" ({use.detail})" if use.what in _WITH_DETAIL and use.detail else ""
            by_kind.setdefault(use.what, []).append(f"{use.where}{detail}")
    for what, words in _STAYS.items():
        places = sorted(dict.fromkeys(by_kind.get(what, ())), key=str.casefold)
        if places:
            many = len(places) != 1
            yield words.format(
                count=len(places),
                places=some_of(places),
                s="s" * many,
                es="" if many else "s",
                ies="ies" if many else "y",
                ies_verb="y" if many else "ies",
            )
