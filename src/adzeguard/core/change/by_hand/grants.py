"""Grants given, denied and withdrawn: from duties to entries of a descriptor, each exactly once."""

from collections.abc import Iterable, Sequence

from adzeguard.core.change.by_hand.objects import descriptor_over, rights_change
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.standing import missing_of
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.rights.delegations import Delegation, Rights, is_person
from adzeguard.core.rights.duties import Duty
from adzeguard.core.rights.duty_words import Extent
from adzeguard.core.rights.evaluate import bits_of
from adzeguard.core.rights.grants import atoms_of
from adzeguard.core.rights.wanted import wanted_entries

_SHOWN = 4


def grants_given(
    rights: Rights,
    who: Principal,
    duties: Iterable[Duty],
    over: Principal,
    *,
    deny: bool = False,
    extent: Extent | None = None,
    only_for: Sequence[str] = (),
    why: str = "",
    rule: str = BY_HAND_RULE,
    leaves: bool = False,
) -> list[Change]:
    """Return the changes that give duties, or deny them; what stands already is not added again."""
    standing = set(descriptor_over(rights.estate, over).entries)
    changes: list[Change] = []
    for duty in duties:
        wanted = wanted_entries(rights, who, duty, over, deny=deny, extent=extent, only_for=only_for)
        missing = missing_of(wanted, standing)
        if missing:
            standing |= set(missing)
            changes.append(rights_change(Named.of(over), gives=missing, why=why, rule=rule, leaves=leaves))
    return changes


def grants_withdrawn(
    rights: Rights, who: Principal, duties: Sequence[Duty], over: Principal, *, deny: bool | None, why: str
) -> list[Change]:
    """Return the changes that take exactly these grants away; without duties, all that the principal has there.

    Entries that another duty of theirs needs as well stay. `GuardError` for what comes from above.
    """
    found = [d for d in rights.grants_over(over, defaults=True) if d.grant.who == who.sid]
    found = [d for d in found if deny is None or d.grant.deny == deny]
    names = {duty.name for duty in duties}
    singles = [duty for duty in duties if duty.name not in rights.duties]
    meant = [d for d in found if not names or d.grant.duty in names or _is_one_of(d, singles)]
    from_above = [d for d in meant if d.grant.inherited]
    own = [d for d in meant if not d.grant.inherited]
    if from_above and not own:
        first = from_above[0]
        way = f"Withdraw it there: adzeguard grant withdraw --over '{first.origin}'"
        raise GuardError([f"{first.sentence}: it comes from {first.origin}. {way}"])
    if not own:
        what = f" {' or '.join(sorted(names))}" if names else ""
        raise UsageError(
            f"{who.qualified_name} was not given{what} over {short_dn(rights.estate, over.dn)}",
            "See: adzeguard grant list",
        )
    others = [d for d in found if d not in meant and not d.grant.inherited and d.grant.duty]
    needed = {entry for d in others for entry in d.grant.entries}
    changes: list[Change] = []
    taken: set[Ace] = set()
    for delegation in own:
        takes = [e for e in delegation.grant.entries if e not in needed and e not in taken]
        taken |= set(takes)
        if takes:
            changes.append(rights_change(Named.of(over), takes=takes, why=why))
    return changes


def _is_one_of(delegation: Delegation, singles: Sequence[Duty]) -> bool:
    """Tell whether plain rights are those of a single right, for any class."""
    if delegation.grant.duty:
        return False
    standing = {(bit, about) for entry in delegation.grant.entries for bit, about, _ in atoms_of(entry)}
    return any(standing == {(int(b), p.about) for p in duty.parts for b in bits_of(p.mask)} for duty in singles)


def notes_on(rights: Rights, who: Principal, *, deny: bool, given: Sequence[Delegation]) -> list[str]:
    """Return what people should know before they give: a person instead of a group, and what a denial wins over."""
    notes = []
    if is_person(who):
        groups = rights.estate.catalogue.principals(rights.estate.graph.groups_listing(who.id).tolist()).values()
        smallest = sorted(groups, key=lambda g: len(rights.estate.graph.expand(g.id).people))
        named = ", ".join(g.qualified_name for g in smallest[:_SHOWN] if g.kind == Kind.GROUP)
        offer = f"; groups that hold them, the smallest first: {named}" if named else ""
        notes.append(f"{who.qualified_name} is a person: a grant to a group outlives a change of job{offer}")
    if deny:
        wins = [d.sentence for d in given if not d.grant.deny]
        over_what = f", here over: {'; '.join(wins[:_SHOWN])}" if wins else ""
        notes.append(f"a denial wins over what is given at the same place or from above{over_what}")
    return notes
