"""Who is inside, who administers how many hosts, how large groups are, what a search found."""

from collections.abc import Mapping, Sequence

import numpy as np

from adzeguard.core.access.members import Access
from adzeguard.core.estate.catalogue import Catalogue
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.views.identities import identity, identity_columns
from adzeguard.core.views.ranked import Ranked
from adzeguard.core.views.table import Column, LateRows, Row, Table, data_columns
from adzeguard.core.wellknown import EVERYONE_LIKE
from adzeguard.core.wording import counted_noun, some_of


def members_table(estate: Estate, accesses: Sequence[Access], subject: str) -> Table:
    """Return who is inside a group; for people, "Through" leaves the ends of the chain away."""
    rows = [
        {
            **identity(access.principal),
            "direct": access.direct,
            "how": access.chain[-1].how,
            "path": tuple(step.principal.qualified_name for step in access.chain),
            "through": through(access),
        }
        for access in accesses
    ]
    people = [a for a in accesses if a.principal.kind not in (Kind.GROUP, Kind.LOCAL_GROUP)]
    disabled = sum(not a.principal.enabled for a in people)
    note = f"{len(people)} effective members, {len(accesses) - len(people)} groups"
    columns = (
        *identity_columns("Member"),
        *data_columns("direct", "how", "path"),
        Column("through", "Through", for_people=True),
    )
    note += f", {disabled} disabled" if disabled else ""
    everybody = [a.principal.qualified_name for a in accesses if a.principal.sid in EVERYONE_LIKE]
    note += f"\nEverybody is inside, by {some_of(everybody)}." if everybody else ""
    unknown = [a.principal.qualified_name for a in accesses if estate.holds_unknown(a.principal)]
    note += f"\nWho is inside these, only their own domain knows: {some_of(unknown)}." if unknown else ""
    return Table(rows, columns, subject, note, "Nobody is inside.")


def through(access: Access) -> str:
    """Return in words through what a member is inside."""
    between = [step.principal.qualified_name for step in access.chain[1:-1]]
    how = access.chain[-1].how
    if how not in ("start", "member", "local entry"):
        between.append(f"its {how}" if how == "primary group" else how)
    return " > ".join(between) or "directly"


def administrators_table(
    counts: Mapping[int, int], catalogue: Catalogue, hosts: int, of_everyone: Sequence[str] = ()
) -> Table:
    """Return who administers how many hosts, most first; `of_everyone` are hosts that everybody does, counted apart."""

    def made(ids: Sequence[int]) -> list[Row]:
        people = catalogue.principals(ids)
        return [{**identity(people[i]), "hosts": counts[i]} for i in ids if i in people]

    rows = LateRows(_ranked(catalogue, counts), made)
    columns = (*identity_columns("Person"), Column("hosts", "Hosts", kind="number"))
    note = f"{counted_noun(len(rows), 'account')}, {counted_noun(hosts, 'host')}"
    if of_everyone:
        many = f"{len(of_everyone)} host{'s' * (len(of_everyone) != 1)}"
        note += f". Everybody else who can log on administers {many} too: {some_of(of_everyone)}"
    return Table(rows, columns, "Effective administrators of hosts", note, "Nobody administers a host.")


def groups_table(
    catalogue: Catalogue, direct: Mapping[int, int], effective: Mapping[int, int], foreign: Mapping[int, int]
) -> Table:
    """Return every group with how many it holds, largest first; groups inside do not count as effective members.

    `foreign` are groups of other domains inside, of unknown size, by the group that they are in.
    """

    def made(ids: Sequence[int]) -> list[Row]:
        groups = catalogue.principals(ids)
        return [
            {
                "name": groups[i].name,
                "qualified_name": groups[i].qualified_name,
                "sid": groups[i].sid,
                "kind": "security" if groups[i].flags & Flag.SECURITY_GROUP else "distribution",
                "scope": groups[i].group_scope,
                "member_count": direct[i],
                "effective_member_count": effective[i],
                "foreign_group_count": foreign.get(i, 0),
            }
            for i in ids
            if i in groups
        ]

    rows = LateRows(_ranked(catalogue, effective), made)
    columns = (
        Column("name"),
        Column("qualified_name", "Group"),
        Column("sid"),
        Column("kind", "Kind"),
        Column("scope", "Scope"),
        Column("member_count", "Direct", kind="number"),
        Column("effective_member_count", "Effective", kind="number"),
        Column("foreign_group_count", "Foreign groups" if foreign else "", kind="number"),
    )
    return Table(rows, columns, "Members of groups", counted_noun(len(rows), "group"), "There are no groups.")


def _ranked(catalogue: Catalogue, numbers: Mapping[int, int]) -> Ranked:
    """Return ids by their numbers, and by name where those are the same."""
    ids = np.fromiter(numbers.keys(), np.int32, len(numbers))

    def names_of(some: Sequence[int]) -> Mapping[int, str]:
        return {i: p.qualified_name for i, p in catalogue.principals(some).items()}

    return Ranked(ids, np.fromiter(numbers.values(), np.int64, len(numbers)), names_of)


def found_table(objects: Sequence[Principal], subject: str, *, more: bool) -> Table:
    """Return the objects that a search found."""
    rows = [{**identity(p), "dn": p.dn} for p in objects]
    note = f"{len(rows)} shown; there are more (--limit)" if more else f"{len(rows)} found"
    return Table(rows, (*identity_columns("Name"), Column("dn", "Where")), subject, note, "Nothing is called so.")


def allowed_table(people: Sequence[Principal], right: str, target: Principal) -> Table:
    """Return everybody who may do something."""
    rows = [identity(p) for p in sorted(people, key=lambda p: p.qualified_name.casefold())]
    title = f"May {right}, over {target.qualified_name}"
    return Table(rows, identity_columns("Who"), title, f"{len(rows)} may", "Nobody may.")
