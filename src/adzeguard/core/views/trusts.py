"""Trusts: whom the directory lets in, by whose word, and who of them is known here."""

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import Any

import numpy as np

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.estate.rows import NEVER
from adzeguard.core.estate.trusts import Trust
from adzeguard.core.rights.delegations import Rights, sorted_for_people
from adzeguard.core.views.page import Fact, Page, Section
from adzeguard.core.views.table import Column, Table, data_columns
from adzeguard.core.wording import when

_COLUMNS = (
    Column("name", "Trust"),
    Column("domain", "Of"),
    *data_columns("partner_sid"),
    Column("direction", "Who comes in"),
    Column("kind", "Kind"),
    Column("transitive", "Transitive"),
    Column("filtered", "SIDs filtered"),
    Column("selective", "Selective"),
    *data_columns("created_at", "changed_at"),
    Column("password_set_at", "Password set", kind="moment"),
)


def trusts_table(trusts: Iterable[Trust]) -> Table:
    """Return one row a trust."""
    return Table(
        [_row(trust) for trust in trusts],
        _COLUMNS,
        title="Trusts",
        empty="This domain trusts no other, and no other trusts it.",
    )


def trust_page(rights: Rights, trust: Trust) -> Page:
    """Return one trust in full, with everybody of its domain who stands in a group or has a right here."""
    data = {**_row(trust), "account": trust.account.qualified_name if trust.account else None}
    inside, held = _members(rights.estate, trust), _rights(rights, trust)
    data |= {"members_here": inside, "rights_here": held}
    sections: list[Section] = [
        Fact("Domain", f"{trust.partner}, in short {trust.short_name}"),
        Fact("SID", trust.sid or "none"),
        Fact("Kind", trust.kind + (", transitive" if trust.transitive else ", not transitive")),
        Fact("Who comes in", _let_in(trust)),
        Fact("SIDs filtered", _filter(trust), "" if not trust.needs_filter else "no"),
    ]
    dates = (("Made", data["created_at"]), ("Changed", data["changed_at"]), ("Password set", data["password_set_at"]))
    sections += [Fact(label, when(moment)) for label, moment in dates if moment is not None]
    if trust.account is not None:
        sections.append(Fact("Account", trust.account.qualified_name))
    sections.append(Fact(f"In groups here ({len(inside)})", inside or "nobody"))
    sections.append(Fact(f"Rights here ({len(held)})", held or "none"))
    return Page(data, sections, title=trust.partner)


def _row(trust: Trust) -> dict[str, Any]:
    set_at = trust.account.details.get("password_set", NEVER) if trust.account is not None else NEVER
    return {
        "name": trust.partner,
        "domain": trust.of,
        "partner_sid": trust.sid,
        "direction": trust.way,
        "kind": trust.kind,
        "transitive": trust.transitive,
        "filtered": trust.filtered,
        "selective": trust.selective,
        "created_at": _moment(trust.made),
        "changed_at": _moment(trust.changed),
        "password_set_at": _moment(set_at),
    }


def _moment(seconds: int) -> datetime | None:
    return datetime.fromtimestamp(seconds, UTC) if seconds != NEVER else None


def _let_in(trust: Trust) -> str:
    if not trust.lets_in:
        return f"nobody of {trust.short_name}; {trust.way}"
    if trust.selective:
        return f"only those of {trust.short_name} whom a host lets sign in; {trust.way}"
    return f"everybody of {trust.short_name}, as an authenticated user; {trust.way}"


def _filter(trust: Trust) -> str:
    if trust.filtered:
        return "yes: only SIDs of the other side are believed"
    if not trust.lets_in:
        return "no, and nobody comes in"
    if not trust.needs_filter:
        return "no: the domains are of one forest"
    return f"no: {trust.short_name} can say that somebody is an administrator here"


def _members(estate: Estate, trust: Trust) -> list[str]:
    """Return who of its domain stands in which groups, in words."""
    known = estate.catalogue.principals(estate.catalogue.of_kind(Kind.FOREIGN).tolist())
    theirs = {i: one for i, one in known.items() if one.sid and one.sid.authority == trust.sid}
    listing = {i: estate.graph.groups_listing(i).tolist() for i in theirs}
    if estate.domain.of_sid(f"{trust.sid}-0") is not None:
        theirs, listing = _inside_here(estate, trust)
    names = estate.catalogue.principals({group for found in listing.values() for group in found})
    # Who is in a group of their own domain is here through that.
    groups = {i: [group for group in found if names[group].kind != Kind.FOREIGN] for i, found in listing.items()}
    return sorted(
        f"{one.qualified_name} is in {_listed(names[group].qualified_name for group in groups[i])}"
        for i, one in theirs.items()
        if groups[i]
    )


def _inside_here(estate: Estate, trust: Trust) -> tuple[dict[int, Principal], dict[int, list[int]]]:
    """Return those of a domain that is collected too who stand in groups of the one that has the trust."""
    domain, graph = estate.domain, estate.graph
    here = domain.called(trust.of) or domain
    listing: dict[int, list[int]] = {}
    there = estate.catalogue.below(next(one.base_dn for one in domain.all if one.sid == trust.sid))
    for group in np.intersect1d(estate.catalogue.of_kind(Kind.GROUP), estate.catalogue.below(here.base_dn)).tolist():
        for member in np.intersect1d(graph.direct_members(group), there).tolist():
            listing.setdefault(member, []).append(group)
    return estate.catalogue.principals(listing), listing


def _rights(rights: Rights, trust: Trust) -> list[str]:
    of = rights.estate.domain.called(trust.of) or rights.estate.domain
    own = (one for one in rights.own_grants() if one.grant.who.authority == trust.sid)
    own = (one for one in own if rights.estate.domain.holding(one.over.dn).sid == of.sid)
    return [one.sentence for one in sorted_for_people(own)]


def _listed(names: Iterable[str]) -> str:
    return ", ".join(sorted(names, key=str.casefold))
