"""What deviates from standards: a function for each, and a row in the table below."""

from collections.abc import Callable, Iterable, Iterator
from datetime import timedelta
from fnmatch import fnmatchcase
from typing import Final

from adzeguard.core.charter.account_scope import ResolvedAccounts
from adzeguard.core.charter.account_scopes import accounts_of
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.standard_rule import ResolvedGroups, ResolvedStandards, StandardRule, resolve_standards
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn, is_below, parent_dn
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wellknown import MADE_BY_STAFF

_LAG: Final = timedelta(days=14)
_KINDS: Final = {"users": Kind.USER, "groups": Kind.GROUP, "computers": Kind.COMPUTER, "ous": Kind.OU}


def review_directory_standards(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield what deviates from each standard, rule by rule."""
    for rule in charter.of(ResolvedStandards):
        for review in STANDARDS:
            yield from review(rights.estate, rule)


def _most_people(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    if rule.form.most_people is None:
        return
    most = rule.form.most_people.most
    for group in rule.people_in:
        people = [
            p
            for p in estate.catalogue.principals(estate.graph.expand(group.id).people.tolist()).values()
            if p.is_person
        ]
        if len(people) > most:
            message = f"{len(people)} are inside, and no more than {most} should be"
            yield correction_of(rule, "too-many-inside", Named.of(group), message, evidence={"inside": len(people)})


def _no_mailbox(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    for one in _accounts(estate, rule.no_mailbox):
        mail = str(one.details.get("mail", ""))
        if mail:
            message = f"it has the mailbox {mail}: mail brings in what should not run as an administrator"
            yield correction_of(rule, "mailbox-where-none", Named.of(one), message)


def _apart(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    if rule.form.apart is None:
        return
    for one in _accounts(estate, rule.apart):
        if not _is_like(one.name, rule.form.apart.like):
            patterns = ", ".join(rule.form.apart.like)
            message = f"it is an account for every day: those for administration are called {patterns}"
            yield correction_of(rule, "not-apart", Named.of(one), message)


def _nesting(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    """Role groups hold people alone, resource groups role groups alone; each wrong member is one deviation."""
    if rule.roles is None or rule.resources is None:
        return
    roles = {one.id for one in _groups(estate, rule.roles)}
    for group in _groups(estate, rule.roles):
        for member in _members(estate, group):
            if member.kind == Kind.GROUP:
                message = f"{member.qualified_name} is a group, and a group for a role holds people alone"
                yield _about_member(rule, group, member, message)
    for group in _groups(estate, rule.resources):
        for member in _members(estate, group):
            if member.id not in roles:
                what = "a group for no role" if member.kind == Kind.GROUP else member.kind.one
                message = f"{member.qualified_name} is {what}, and a group for a resource holds groups for roles alone"
                yield _about_member(rule, group, member, message)


def _about_member(rule: ResolvedStandards, group: Principal, member: Principal, message: str) -> Correction:
    return correction_of(rule, "nested-otherwise", Named.of(group), message, member=Named.of(member))


def _naming(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    naming = rule.form.naming
    if naming is None:
        return
    ids = estate.catalogue.of_kind(_KINDS[naming.objects]).tolist()
    for one in estate.catalogue.principals(ids).values():
        below = not rule.naming_under or any(is_below(fold_dn(one.dn), ou) for ou in rule.naming_under)
        if below and not _is_born(one) and not _is_like(one.name, naming.like):
            message = f"it is not called like {' or '.join(naming.like)}"
            yield correction_of(rule, "named-otherwise", _placed(estate, one), message)


def _nothing_in(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    for container in rule.nothing_in:
        for one in estate.catalogue.principals(estate.catalogue.below(container).tolist()).values():
            is_meant = one.kind in (Kind.USER, Kind.GROUP, Kind.COMPUTER, Kind.SERVICE) and not _is_born(one)
            if is_meant and fold_dn(parent_dn(one.dn)) == container:
                message = f"it lies in {short_dn(estate, parent_dn(one.dn))}, where nothing should"
                yield correction_of(rule, "lies-where-nothing-should", Named.of(one), message)


def _owned(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    for group in _groups(estate, rule.owned):
        manager = str(group.details.get("managed_by", ""))
        if not manager:
            yield correction_of(rule, "without-owner", Named.of(group), "nobody is noted as its manager")
        elif estate.catalogue.by_dn(manager) is None:
            yield correction_of(rule, "without-owner", Named.of(group), f"its manager {manager} is gone")


def _password_changed_within(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    if rule.form.password_changed_within is None:
        return
    allowed = timedelta(days=rule.form.password_changed_within.days)
    for one in _accounts(estate, rule.renewed):
        set_at = moment(one.details.get("password_set"))
        if set_at is not None and estate.taken_at - set_at > allowed:
            message = f"its password is {(estate.taken_at - set_at).days} days old"
            yield correction_of(rule, "password-not-renewed", Named.of(one), message)


def _used_within(estate: Estate, rule: ResolvedStandards) -> Iterator[Correction]:
    if rule.form.used_within is None:
        return
    allowed = timedelta(days=rule.form.used_within.days)
    for one in _accounts(estate, rule.used):
        used = moment(one.details.get("last_logon"))
        if used is None:
            yield correction_of(rule, "unused-privilege", Named.of(one), "it was never used")
        elif estate.taken_at - used > allowed + _LAG:
            message = f"it was not used for at least {(estate.taken_at - used - _LAG).days} days"
            yield correction_of(rule, "unused-privilege", Named.of(one), message)


def _accounts(estate: Estate, scope: ResolvedAccounts | None) -> list[Principal]:
    ids = accounts_of(estate, scope) if scope is not None else set()
    found = estate.catalogue.principals(ids).values()
    return sorted((one for one in found if one.enabled), key=lambda one: one.qualified_name.casefold())


def _groups(estate: Estate, scope: ResolvedGroups | None) -> list[Principal]:
    if scope is None:
        return []
    found = estate.catalogue.principals(estate.catalogue.of_kind(Kind.GROUP).tolist()).values()
    chosen = [
        group
        for group in found
        if (any(is_below(fold_dn(group.dn), ou) for ou in scope.under) or _is_like(group.name, scope.named))
        and not _is_like(group.name, scope.excepted)
    ]
    return sorted(chosen, key=lambda group: group.qualified_name.casefold())


def _members(estate: Estate, group: Principal) -> list[Principal]:
    found = estate.catalogue.principals(estate.graph.direct_members(group.id).tolist()).values()
    return sorted(found, key=lambda one: one.qualified_name.casefold())


def _is_like(name: str, patterns: Iterable[str]) -> bool:
    return any(fnmatchcase(name.casefold(), pattern.casefold()) for pattern in patterns)


def _is_born(one: Principal) -> bool:
    return bool(one.flags & (Flag.CRITICAL | Flag.BUILTIN)) or (one.sid is not None and one.sid.rid < MADE_BY_STAFF)


def _placed(estate: Estate, one: Principal) -> Named:
    return Named.of(one) if one.sid else Named(short_dn(estate, one.dn), "", one.dn)


STANDARDS: Final[tuple[Callable[[Estate, ResolvedStandards], Iterator[Correction]], ...]] = (
    _most_people,
    _no_mailbox,
    _apart,
    _nesting,
    _naming,
    _nothing_in,
    _owned,
    _used_within,
    _password_changed_within,
)
"""A further standard is a key of the rule, a function beside these, and a row here."""


STANDARD: Final = RuleKind("standard", StandardRule, resolve_standards, review_directory_standards)
