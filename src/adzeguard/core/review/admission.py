"""A host is moved to its place: what its rules put in at the old one goes, and what those of the new one mend comes."""

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import replace
from typing import Any

from adzeguard.core.change.by_hand.ous import moved_object
from adzeguard.core.change.change import Change, Key
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import split_dn
from adzeguard.core.review.closing import ClosingRules
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.draft import draft_of
from adzeguard.core.rights.delegations import Rights


def as_if_moved(estate: Estate, host: Host, container: str) -> tuple[Estate, Host]:
    """Return the estate as it would be with a host in another container, and the host there."""
    there = replace(host, dn=f"{split_dn(host.dn)[0]},{container}")
    hosts = [there if one.id == host.id else one for one in estate.hosts]
    return Estate(estate.taken_at, estate.domain, estate.catalogue, estate.memberships, hosts), there


def admitted(
    rights: Rights,
    charter: ResolvedCharter,
    put_in: Sequence[Change],
    host: Host,
    container: Principal,
    said: Iterable[Mapping[str, Any]],
    why: str,
) -> Draft:
    """Return the move with all that follows from it on the host, in one draft. `said` is what it loses and gets."""
    move = moved_object(rights.estate, rights.estate.principal(host.id), container, why)
    estate, there = as_if_moved(rights.estate, host, container.dn)
    name = there.name.casefold()
    after = corrections(Rights(estate, rights.schema, rights.duties), charter, put_in)
    follows = draft_of(c for c in after if c.host is not None and c.host.name.casefold() == name)
    on_host = tuple(change for change in follows.changes if change.host_name.casefold() == name)
    notes = [f"{there.name} {row['change']}: {row['about']}, {row['says']} ({row['rule']})" for row in said]
    opened, still = _opened(estate, charter, host, there, {change.key for change in on_host})
    return Draft((*move.changes, *opened, *on_host), (*move.left_out, *follows.left_out, *still), (*move.notes, *notes))


def _opened(
    estate: Estate, charter: ResolvedCharter, here: Host, there: Host, known: Collection[Key]
) -> tuple[list[Change], list[LeftOut]]:
    """Return what opens the host, whoever closed it; and what goes on closing it though no rule there wants that.

    What the old place asks for is its to take off also where it stood before any rule of ours: a host that came closed
    would stay so for ever.
    """
    rules = ClosingRules(charter)
    asked_for = {one.key: one.rule for one in rules.on(estate, here) if one.rule is not None}
    opened: list[Change] = []
    still: list[LeftOut] = []
    for one in rules.on(estate, there):
        if one.rule is not None:
            continue
        old = asked_for.get(one.key)
        if old is not None:
            change = one.ended(old.rule.id, f"{there.name} leaves the place where {old.rule.id} holds")
            opened += [change] if change.key not in known else []
        elif one.ended("", "").key not in known:
            reason = f"it {one.in_words()}, and no rule asks for that: see adzeguard check, closed-without-rule"
            still.append(LeftOut(subject=there.name, member="", rule="", reason=reason))
    return opened, still
