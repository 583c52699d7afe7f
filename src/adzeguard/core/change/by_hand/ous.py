"""OUs made, protected, moved and deleted by hand, and single objects moved."""

from collections.abc import Iterable

from adzeguard.core.change.by_hand.creation import creation
from adzeguard.core.change.by_hand.members import leaving
from adzeguard.core.change.by_hand.objects import child_dn, descriptor_over, rights_change
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.descriptors.protection import ON_ITS_CONTAINER, ON_THE_OBJECT, denies_everyone, is_protected
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.identity import fold_dn, is_below, parent_dn, split_dn
from adzeguard.core.wording import counted_noun

_SHOWN = 12


def created_ou(
    estate: Estate, name: str, container: Principal, *, protected: bool, description: str = "", why: str = ""
) -> Draft:
    """Return the changes that make an OU and protect it against deletion."""
    dn = child_dn("OU", name, container)
    if estate.catalogue.by_dn(dn) is not None:
        raise UsageError(f"{short_dn(estate, dn)} exists already")
    named = Named(name=name, dn=dn, made=True)
    given: dict[str, str | tuple[str, ...]] = {
        "objectClass": ("top", "organizationalUnit"),
        "description": description,
    }
    changes: list[Change] = [creation(named, given, rule=BY_HAND_RULE, why=why)]
    if protected:
        changes.append(rights_change(named, gives=[ON_THE_OBJECT], why=why))
        changes += _guarded_container(estate, container, why, BY_HAND_RULE)
    return Draft.of(changes)


def _guarded_container(estate: Estate, container: Principal, why: str, rule: str) -> list[Change]:
    if denies_everyone(descriptor_over(estate, container), ON_ITS_CONTAINER.mask):
        return []
    return [rights_change(Named.of(container), gives=[ON_ITS_CONTAINER], why=why, rule=rule)]


def container_of(estate: Estate, principal: Principal) -> Principal:
    """Return what an object lies in; `GuardError` for the top of the directory."""
    found = estate.catalogue.by_dn(parent_dn(principal.dn))
    if found is None:
        raise GuardError([f"{principal.dn} is the top of the directory"])
    return estate.principal(found)


def protected_object(estate: Estate, principal: Principal, why: str, rule: str = BY_HAND_RULE) -> list[Change]:
    """Return the changes that protect an object against deletion, none where it is."""
    container = container_of(estate, principal)
    changes: list[Change] = []
    if not denies_everyone(descriptor_over(estate, principal), ON_THE_OBJECT.mask):
        changes.append(rights_change(Named.of(principal), gives=[ON_THE_OBJECT], why=why, rule=rule))
    return [*changes, *_guarded_container(estate, container, why, rule)]


def stands_protected(estate: Estate, principal: Principal) -> bool:
    """Tell whether neither the object nor its container lets anybody delete it."""
    return is_protected(descriptor_over(estate, principal), descriptor_over(estate, container_of(estate, principal)))


def unprotected_object(estate: Estate, principal: Principal, why: str) -> Draft:
    """Return the changes that take the protection away. The container keeps its part while it protects others."""
    container = container_of(estate, principal)
    changes: list[Change] = []
    own = [entry for entry in descriptor_over(estate, principal).entries if entry == ON_THE_OBJECT]
    if own:
        changes.append(rights_change(Named.of(principal), takes=own, why=why))
    elif denies_everyone(descriptor_over(estate, principal), ON_THE_OBJECT.mask):
        way = "See: adzeguard grant list --over"
        raise GuardError([f"{short_dn(estate, principal.dn)} is protected by an entry that says more. {way}"])
    others = _protected_beside(estate, principal, container)
    above = [entry for entry in descriptor_over(estate, container).entries if entry == ON_ITS_CONTAINER]
    if above and not others:
        changes.append(rights_change(Named.of(container), takes=above, why=why))
    notes = (
        (f"{short_dn(estate, container.dn)} goes on protecting {counted_noun(len(others), 'other')}",)
        if above and others
        else ()
    )
    return Draft.of(changes, notes)


def _protected_beside(estate: Estate, principal: Principal, container: Principal) -> list[int]:
    wanted = fold_dn(container.dn)
    below = estate.catalogue.principals(estate.catalogue.below(container.dn).tolist()).values()
    beside = [p.id for p in below if p.id != principal.id and fold_dn(parent_dn(p.dn)) == wanted]
    raws = estate.catalogue.descriptors(beside)
    readable = [i for i in beside if i in raws and is_readable(raws[i])]
    return [i for i in readable if denies_everyone(Descriptor.from_bytes(raws[i]), ON_THE_OBJECT.mask)]


def moved_object(
    estate: Estate, principal: Principal, container: Principal, why: str, said: Iterable[str] = ()
) -> Draft:
    """Return the change that puts an object, with all below it, into another container.

    `said` is what else people should know of it.
    """
    if principal.kind == Kind.FOREIGN:
        raise UsageError(f"{principal.qualified_name} is of another domain, and has no place here to be moved from")
    if fold_dn(parent_dn(principal.dn)) == fold_dn(container.dn):
        return Draft.of(())
    if container.id == principal.id or is_below(fold_dn(container.dn), fold_dn(principal.dn)):
        raise GuardError([f"{short_dn(estate, principal.dn)} cannot be moved into itself"])
    _refuse_protected(estate, [principal])
    to = f"{split_dn(principal.dn)[0]},{container.dn}"
    if estate.catalogue.by_dn(to) is not None:
        raise UsageError(f"{short_dn(estate, to)} exists already")
    change = MoveObject(object=Named.of(principal), to=to, rule=BY_HAND_RULE, why=why)
    inside = len(estate.catalogue.below(principal.dn))
    notes = ["rights and directory policies that it has from above change with its place"]
    notes += [f"{counted_noun(inside, 'object')} below {'moves' if inside == 1 else 'move'} along"] if inside else []
    return Draft.of([change], [*notes, *said])


def _refuse_protected(estate: Estate, principals: Iterable[Principal]) -> None:
    found = [p for p in principals if p.kind == Kind.OU or estate.catalogue.descriptors([p.id])]
    standing = [p for p in found if stands_protected(estate, p)]
    if standing:
        named = ", ".join(short_dn(estate, p.dn) for p in standing[:_SHOWN])
        raise GuardError([f"protected against deletion and moving: {named}. First: adzeguard ou unprotect"])


def deleted_ou(estate: Estate, ou: Principal, *, with_content: bool, why: str) -> Draft:
    """Return the changes that delete an OU and, when asked for, all that lies in it, the deepest first."""
    below = list(estate.catalogue.principals(estate.catalogue.below(ou.dn).tolist()).values())
    if below and not with_content:
        shown = ", ".join(short_dn(estate, p.dn) for p in below[:3]) + (" …" if len(below) > 3 else "")  # noqa: PLR2004
        what = f"{short_dn(estate, ou.dn)} is not empty: it holds {counted_noun(len(below), 'object')} ({shown})"
        raise GuardError([f"{what}. Move them away first, or give --with-content to delete them too"])
    _refuse_protected(estate, [ou, *(p for p in below if p.kind == Kind.OU)])
    deepest_first = sorted([ou, *below], key=lambda p: (-len(split_dn(p.dn)), p.dn.casefold()))
    # Taken out one by one, so that undo can put everything back into its groups.
    changes: list[Change] = [
        leaving(holder, p, why=why)
        for p in below
        for holder in estate.catalogue.principals(estate.graph.groups_listing(p.id).tolist()).values()
    ]
    changes += [DeleteObject(object=Named.of(p), rule=BY_HAND_RULE, why=why) for p in deepest_first]
    people = sum(p.kind == Kind.USER for p in below)
    notes = ("undo makes everything again, with new SIDs and without passwords and keys; accounts come back disabled",)
    return Draft.of(changes, notes if people else ())
