"""Rules about objects themselves held against what stands: protection, intake, groups of a roster."""

from collections.abc import Iterable, Iterator, Mapping
from collections.abc import Set as AbstractSet
from dataclasses import dataclass

from adzeguard.core.change.grants_by_hand import grants_given, wanted_entries
from adzeguard.core.change.groups_by_hand import created_group
from adzeguard.core.change.intake import intake_changes, landings
from adzeguard.core.change.inverse import inverse_of
from adzeguard.core.change.ous_by_hand import protected_object
from adzeguard.core.change.plan import Change, ObjectChange, Verb
from adzeguard.core.charter.model import Response, RuleBase
from adzeguard.core.charter.object_rules import AbsentGroup, GrantWish, Landings, Protection
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.delegations import Rights
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate import Estate
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.places import short_dn
from adzeguard.core.rights.ace import Ace
from adzeguard.core.rights.descriptor import Descriptor
from adzeguard.core.rights.duties import named_duties
from adzeguard.core.rights.protection import ON_ITS_CONTAINER, ON_THE_OBJECT


@dataclass(frozen=True, slots=True)
class ObjectDeviation:
    """One object that is not as a rule says, and the changes that put it right, none where it cannot be done."""

    check: str
    subject: str
    message: str
    rule: RuleBase
    response: Response
    changes: tuple[Change, ...]
    member: str = ""


def object_deviations(rights: Rights, charter: ResolvedCharter) -> Iterator[ObjectDeviation]:
    """Yield what deviates from the rules about objects."""
    estate = rights.estate
    for rule in charter.objects:
        if isinstance(rule, AbsentGroup):
            yield _absent(estate, rule)
        elif isinstance(rule, Protection):
            yield from _unprotected(estate, rule)
        elif isinstance(rule, Landings):
            yield from _landing_elsewhere(estate, rule)
        else:
            yield from _not_granted(rights, rule)


def _absent(estate: Estate, wish: AbsentGroup) -> ObjectDeviation:
    name = rf"{estate.domain.short_name}\{wish.name}"
    message = f"{wish.rule.place.at()} names the group, which does not exist"
    try:
        changes = created_group(
            estate, wish.name, wish.container, scope=wish.scope, members=wish.members, rule=wish.rule.id,
            why=wish.rule.why,
        )  # fmt: skip
    except GuardError as error:
        return ObjectDeviation("missing-group", name, f"{message}: {error.message}", wish.rule, wish.response, ())
    return ObjectDeviation("missing-group", name, message, wish.rule, wish.response, tuple(changes))


def _unprotected(estate: Estate, wish: Protection) -> Iterator[ObjectDeviation]:
    rule = wish.rule
    for principal in wish.objects:
        subject = short_dn(estate, principal.dn)
        try:
            changes = protected_object(estate, principal, rule.why, rule.id)
        except GuardError as error:
            yield ObjectDeviation("unprotected-object", subject, error.message, rule, wish.response, ())
            continue
        if changes:
            message = "an administrator can delete it by mistake, with all that lies in it"
            leaving = tuple(c.model_copy(update={"leaves": rule.leave}) for c in changes)
            yield ObjectDeviation("unprotected-object", subject, message, rule, wish.response, leaving)


def _landing_elsewhere(estate: Estate, wish: Landings) -> Iterator[ObjectDeviation]:
    rule, standing = wish.rule, landings(estate)
    for what, container in wish.containers.items():
        try:
            changes = intake_changes(estate, {what: container}, why=rule.why, rule=rule.id, leaves=rule.leave)
        except GuardError as error:
            yield ObjectDeviation("intake-elsewhere", f"new {what}", error.message, rule, wish.response, ())
            continue
        if changes:
            message = f"they land in {short_dn(estate, standing[what].dn)} instead of {short_dn(estate, container.dn)}"
            yield ObjectDeviation("intake-elsewhere", f"new {what}", message, rule, wish.response, tuple(changes))


def _not_granted(rights: Rights, wish: GrantWish) -> Iterator[ObjectDeviation]:
    rule = wish.rule
    subject = short_dn(rights.estate, wish.over.dn)
    for who in wish.to:
        try:
            changes = grants_given(
                rights,
                who,
                named_duties(rights.duties, rule.grant or rule.deny, rights.schema),
                wish.over, deny=bool(rule.deny),
                reach=rule.reach, only_for=rule.only_for, why=rule.why, rule=rule.id, leaves=rule.leave,
            )  # fmt: skip
        except (GuardError, UsageError) as error:
            message = " ".join(part for part in (error.message, error.way_out) if part)
            yield ObjectDeviation("unclear-grant", subject, message, rule, wish.response, ())
            continue
        for change in changes:
            message = f"the rule's grant does not stand: {change.in_words()}"
            yield ObjectDeviation("missing-grant", subject, message, rule, wish.response, (change,), who.qualified_name)


@dataclass(frozen=True, slots=True)
class Documented:
    """The entries that rules ask for, by the folded name of their object, and the rules that cannot be understood."""

    entries: Mapping[str, AbstractSet[Ace]]
    unclear: frozenset[str]

    def holds(self, dn: str, entries: Iterable[Ace]) -> bool:
        """Tell whether rules ask for all of these entries on an object."""
        return set(entries) <= self.entries.get(fold_dn(dn), frozenset())


def documented_entries(rights: Rights, charter: ResolvedCharter) -> Documented:
    """Return what the rules in force ask for."""
    found: dict[str, set[Ace]] = {}
    unclear: set[str] = set()
    for wish in charter.objects:
        if isinstance(wish, Protection):
            for principal in wish.objects:
                found.setdefault(fold_dn(principal.dn), set()).add(ON_THE_OBJECT)
                found.setdefault(fold_dn(parent_dn(principal.dn)), set()).add(ON_ITS_CONTAINER)
        elif isinstance(wish, GrantWish):
            try:
                found.setdefault(fold_dn(wish.over.dn), set()).update(_asked_for(rights, wish))
            except UsageError:  # told as a deviation of its own
                unclear.add(wish.rule.id)
    return Documented(found, frozenset(unclear))


def _asked_for(rights: Rights, wish: GrantWish) -> list[Ace]:
    rule = wish.rule
    return [
        entry
        for duty in named_duties(rights.duties, rule.grant or rule.deny, rights.schema)
        for who in wish.to
        for entry in wanted_entries(
            rights, who, duty, wish.over, deny=bool(rule.deny), reach=rule.reach, only_for=rule.only_for
        )
    ]


def object_withdrawals(
    rights: Rights, charter: ResolvedCharter, standing: Iterable[ObjectChange]
) -> Iterator[ObjectChange]:
    """Yield the changes that take back what rules have set, where they are in force no more and it still stands."""
    estate, documented = rights.estate, documented_entries(rights, charter)
    in_force = {rule.rule.id for rule in charter.objects}
    stopped = {problem.rule.id for problem in charter.problems} | documented.unclear
    for change in standing:
        if change.rule in stopped or (change.rule in in_force and change.verb != Verb.RIGHTS):
            continue
        asked_for = {entry.to_bytes().hex() for entry in documented.entries.get(fold_dn(change.object.dn), ())}
        gone = tuple(entry for entry in change.gives if entry not in asked_for)
        if change.verb == Verb.RIGHTS:
            change = change.model_copy(update={"gives": gone})  # noqa: PLW2901 - what nobody asks for of it
        if (gone or change.verb != Verb.RIGHTS) and _still_stands(estate, change):
            why = f"the rule {change.rule} put it there, and does not hold any more"
            words = f"no longer {change.words}"
            yield inverse_of(change).model_copy(update={"rule": change.rule, "why": why, "words": words})


def _still_stands(estate: Estate, change: ObjectChange) -> bool:
    found = estate.catalogue.by_dn(change.object.dn)
    if found is None:
        return False
    if change.verb == Verb.RIGHTS:
        raw = estate.catalogue.descriptors([found]).get(found)
        entries = {entry.to_bytes().hex() for entry in Descriptor.from_bytes(raw).entries} if raw else set()
        return set(change.gives) <= entries
    known = estate.principal(found).details.get("well_known_objects", ())
    return all(set(a.after) <= set(known) for a in change.attributes)
