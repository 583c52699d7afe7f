"""What is put away until it is deleted: what it was, where, and what brings it back or ends it."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import datetime
from typing import Final

from adzeguard.core.change.by_hand.members import leaving
from adzeguard.core.change.change import BY_HAND_RULE, UNDO_RULE, Change
from adzeguard.core.change.draft import Draft, LeftOut
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_account_control import SetAccountControl
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.cleaning.uses import Use
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.named import Named, id_of
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import without_link
from adzeguard.core.estate.principal import ACCOUNTS, LINKED_TO, Flag, Kind, Principal
from adzeguard.core.identity import Sid, fold_dn, parent_dn, split_dn
from adzeguard.core.rights.power import Powers
from adzeguard.core.time.put_away import Link, Retired
from adzeguard.core.values import dataclass

_KINDS: Final = ACCOUNTS | {Kind.GROUP, Kind.POLICY}
_SHOWN: Final = 4
NOTHING_MADE_AGAIN: Final[Mapping[str, Named]] = {}


@dataclass(frozen=True, slots=True)
class Noted:
    """Who puts something away, when, until when it waits, and why."""

    at: datetime
    until: datetime
    by: str
    why: str


def put_away(
    estate: Estate, one: Principal, holding: Principal, powers: Powers, noted: Noted
) -> tuple[list[Change], Retired]:
    """Return the changes that put one thing away, and the note of it; `UsageError` for what is none to be.

    It leaves every group that gives it power: a privileged one, one that leads into such by nesting or by its rights,
    one that administers hosts.
    """
    if one.kind not in _KINDS:
        raise UsageError(f"{one.qualified_name} is {one.kind.one}: only accounts, groups and policies are retired")
    if one.flags & (Flag.CRITICAL | Flag.BUILTIN):
        raise GuardError([f"{one.qualified_name} belongs to the domain itself"])
    if one.kind == Kind.POLICY:
        return _unlinked(estate, one, noted)
    if fold_dn(parent_dn(one.dn)) == fold_dn(holding.dn):
        raise UsageError(f"{one.qualified_name} lies in {short_dn(estate, holding.dn)} already")
    to = f"{split_dn(one.dn)[0]},{holding.dn}"
    if estate.catalogue.by_dn(to) is not None:
        raise UsageError(f"{short_dn(estate, to)} exists already")
    powerful = powers.of(estate.graph.groups_listing(one.id).tolist())
    groups = sorted(estate.catalogue.principals(powerful).values(), key=lambda group: group.qualified_name.casefold())
    primary = _primary(estate, one, powers.privileged)
    if primary is not None:
        way = f"Give it another first: adzeguard group leave '{one.qualified_name}' '{primary.qualified_name}'"
        raise GuardError([f"{primary.qualified_name} is the primary group of {one.qualified_name}. {way}"])
    is_account = one.kind in ACCOUNTS
    changes: list[Change] = []
    if is_account and one.enabled:
        changes.append(
            SetAccountControl(object=Named.of(one), control="disabled", on=True, rule=BY_HAND_RULE, why=noted.why)
        )
    changes.append(MoveObject(object=Named.of(one), to=to, rule=BY_HAND_RULE, why=noted.why))
    changes += [leaving(group, one, noted.why) for group in groups]
    sids = tuple(str(group.sid) for group in groups)
    retired = Retired(
        one.qualified_name,
        str(one.sid or ""),
        one.dn,
        to,
        one.kind.label,
        one.enabled,
        sids,
        (),
        noted.at,
        noted.until,
        noted.by,
        noted.why,
    )
    return changes, retired


def _primary(estate: Estate, one: Principal, privileged: Iterable[Principal]) -> Principal | None:
    """Return its primary group where that is privileged, or leads into one that is: it is not left like others."""
    leading = {group.id for group in privileged}
    for group in estate.graph.primary_groups(one.id).tolist():
        if leading & set(estate.graph.containing_groups([group]).tolist()):
            return estate.principal(group)
    return None


def _unlinked(estate: Estate, policy: Principal, noted: Noted) -> tuple[list[Change], Retired]:
    catalogue = estate.catalogue
    ids = [i for kind in LINKED_TO for i in catalogue.of_kind(kind).tolist()]
    links, changes = [], []
    for ou in catalogue.principals(ids).values():
        before = str(ou.details.get("policy_links", ""))
        after = without_link(before, policy.dn)
        if after != before:
            links.append(Link(ou.dn, before, after))
            changes.append(_linked(ou, before, after, noted.why))
    note = Retired(
        policy.name,
        "",
        policy.dn,
        policy.dn,
        policy.kind.label,
        enabled=True,
        groups=(),
        links=tuple(links),
        at=noted.at,
        until=noted.until,
        by=noted.by,
        why=noted.why,
    )
    return list(changes), note


def _linked(ou: Principal, before: str, after: str, why: str) -> SetAttributes:
    # A value cannot be empty, so the last link takes the attribute with it.
    change = AttributeChange.of("gPLink", (before,) if before else (), (after,) if after else ())
    return SetAttributes(object=Named.of(ou), attributes=(change,), rule=BY_HAND_RULE, why=why)


def found(estate: Estate, retired: Retired, successors: Mapping[str, Named] = NOTHING_MADE_AGAIN) -> Principal | None:
    """Return it where it was put; None if it is gone, was taken elsewhere since, or is linked again.

    `successors` says by their SIDs what was deleted, and lives again under another one.
    """
    one = _known_today(estate, retired.sid, successors) if retired.sid else _at(estate, retired.now)
    if one is None or fold_dn(parent_dn(one.dn)) != fold_dn(parent_dn(retired.now)):
        return None
    linked_again = any(_is_linked(estate, link, one) for link in retired.links)
    return None if linked_again else one


def _known_today(estate: Estate, sid: str, successors: Mapping[str, Named]) -> Principal | None:
    found_id = estate.id_of_sid(Sid(sid))
    if found_id is None and sid in successors:
        found_id = id_of(estate, successors[sid])
    return estate.principal(found_id) if found_id is not None else None


def _at(estate: Estate, dn: str) -> Principal | None:
    found_id = estate.catalogue.by_dn(dn)
    return estate.principal(found_id) if found_id is not None else None


def _is_linked(estate: Estate, link: Link, policy: Principal) -> bool:
    container = _at(estate, link.dn)
    stands = str(container.details.get("policy_links", "")) if container is not None else ""
    return without_link(stands, policy.dn) != stands


def put_there_by_undo(retired: Retired, change: Change) -> bool:
    """Tell whether a change, undoing another, puts a thing where it is noted: a move by hand is no putting away."""
    if change.rule != UNDO_RULE:
        return False
    if isinstance(change, MoveObject):
        is_the_one = bool(retired.sid) and change.object.sid == retired.sid
        is_the_one = is_the_one or fold_dn(change.object.dn) == fold_dn(retired.dn)
        return is_the_one and fold_dn(parent_dn(change.to)) == fold_dn(parent_dn(retired.now))
    if isinstance(change, SetAttributes):
        return any(fold_dn(change.object.dn) == fold_dn(link.dn) for link in retired.links)
    return False


def happened_since(retired: Retired, one: Principal) -> str:
    """Return what speaks against deleting a thing that has waited, in words; empty where nothing does."""
    if one.kind in ACCOUNTS and one.enabled:
        return "it was enabled since"
    if one.qualified_name.casefold() != retired.name.casefold():
        return f"it was renamed since: it was {retired.name}"
    used = moment(one.details.get("last_logon"))
    return f"it logged on since, on {used:%Y-%m-%d}" if used is not None and used > retired.at else ""


def brought_back(
    estate: Estate, retired: Retired, one: Principal, why: str, successors: Mapping[str, Named] = NOTHING_MADE_AGAIN
) -> Draft:
    """Return the changes after which all is as before; what cannot be so any more is left out, with the reason."""
    changes: list[Change] = []
    left_out: list[LeftOut] = []
    # Enabled first: afterwards it is called otherwise than the proposal says.
    if retired.enabled and not one.enabled:
        changes.append(
            SetAccountControl(object=Named.of(one), control="disabled", on=False, rule=BY_HAND_RULE, why=why)
        )
    if fold_dn(retired.dn) != fold_dn(one.dn):
        if estate.catalogue.by_dn(parent_dn(retired.dn)) is None:
            raise UsageError(f"{short_dn(estate, parent_dn(retired.dn))}, where it was, is gone", "Make it again first")
        changes.append(MoveObject(object=Named.of(one), to=retired.dn, rule=BY_HAND_RULE, why=why))
    for sid in retired.groups:
        group = _known_today(estate, sid, successors)
        if group is None:
            left_out.append(LeftOut(subject=sid, member=retired.name, rule=BY_HAND_RULE, reason="the group is gone"))
            continue
        if one.id not in estate.graph.direct_members(group.id):
            changes.append(AddMember(group=Named.of(group), member=Named.of(one), rule=BY_HAND_RULE, why=why))
    for link in retired.links:
        ou_id = estate.catalogue.by_dn(link.dn)
        ou = estate.principal(ou_id) if ou_id is not None else None
        stands = str(ou.details.get("policy_links", "")) if ou is not None else ""
        if ou is None or stands != link.after:
            reason = "its links were changed since: adzeguard show OU" if ou is not None else "the OU is gone"
            left_out.append(
                LeftOut(subject=short_dn(estate, link.dn), member=retired.name, rule=BY_HAND_RULE, reason=reason)
            )
            continue
        changes.append(_linked(ou, link.after, link.before, why))
    return Draft(tuple(changes), tuple(left_out))


def ended(estate: Estate, retired: Retired, one: Principal, uses: Sequence[Use], why: str, *, anyway: bool) -> Draft:
    """Return the changes that delete it, or why it stays: it was used since, or something names it still.

    Groups that list it do not count.
    """
    reason = "" if anyway else happened_since(retired, one) or _naming(uses)
    if reason:
        return Draft(
            (),
            (LeftOut(subject=short_dn(estate, one.dn), member=one.qualified_name, rule=BY_HAND_RULE, reason=reason),),
        )
    holders = estate.catalogue.principals(estate.graph.groups_listing(one.id).tolist()).values() if one.sid else ()
    # Taken out one by one, so that undo can put it back into its groups.
    changes: list[Change] = [leaving(group, one, why) for group in holders]
    below = estate.catalogue.principals(estate.catalogue.below(one.dn).tolist()).values()
    deepest_first = sorted([one, *(p for p in below if p.id != one.id)], key=lambda p: -len(split_dn(p.dn)))
    changes += [DeleteObject(object=Named.of(p), rule=BY_HAND_RULE, why=why) for p in deepest_first]
    return Draft.of(changes)


def _naming(uses: Sequence[Use]) -> str:
    naming = [use for use in uses if use.what != "membership"]
    shown = "; ".join(f"{use.what} {use.where}" for use in naming[:_SHOWN])
    more = f" and {len(naming) - _SHOWN} more" if len(naming) > _SHOWN else ""
    return f"named by {shown}{more}" if naming else ""
