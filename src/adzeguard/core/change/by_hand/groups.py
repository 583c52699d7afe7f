"""Groups made, changed and deleted by hand."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Final

from adzeguard.core.change.by_hand.creation import creation
from adzeguard.core.change.by_hand.members import leaving
from adzeguard.core.change.by_hand.objects import child_dn
from adzeguard.core.change.change import BY_HAND_RULE, Change
from adzeguard.core.change.draft import Draft
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.create_object import DeleteObject
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.errors import GuardError, UsageError
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.group_types import group_type
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.nesting import refused_nesting, refused_scope_change
from adzeguard.core.estate.principal import NOT_COLLECTED, Flag, Kind, Principal
from adzeguard.core.identity import leaf_name, parent_dn
from adzeguard.core.wording import counted_noun

_FLAGS: Final = {"global": Flag.GLOBAL, "domain-local": Flag.DOMAIN_LOCAL, "universal": Flag.UNIVERSAL}
_NOT_IN_ACCOUNT_NAMES: Final = '"/\\[]:;|=,+*?<>@'  # [MS-SAMR] 3.1.1.6
_LONGEST_ACCOUNT: Final = 256


def created_group(
    estate: Estate,
    name: str,
    container: Principal,
    *,
    account_name: str = "",
    scope: str = "global",
    security: bool = True,
    details: Mapping[str, str] | None = None,
    members: Iterable[Principal] = (),
    rule: str = BY_HAND_RULE,
    why: str = "",
) -> list[Change]:
    """Return the changes that make a group and put its first members in; `details` are further attributes.

    The name may hold what no account name may, like a comma; then the account has a name of its own.
    """
    account = account_name or name
    domain = estate.domain.holding(container.dn)
    _refuse_name(estate, account, domain)
    named = Named(name=rf"{domain.short_name}\{account}", dn=child_dn("CN", name, container), made=True)
    given: dict[str, str | tuple[str, ...]] = {
        "objectClass": ("top", "group"),
        "sAMAccountName": account,
        "groupType": group_type(scope, security=security),
    }
    future = Principal(NOT_COLLECTED, Kind.GROUP, account, named.name, None, named.dn, _FLAGS[scope])
    members = list(members)
    wrong = [reason for member in members if (reason := refused_nesting(future, member))]
    if wrong:
        raise GuardError(wrong)
    changes: list[Change] = [creation(named, {**given, **(details or {})}, rule=rule, why=why)]
    changes += [AddMember(group=named, member=Named.of(member), rule=rule, why=why) for member in members]
    return changes


def _refuse_name(estate: Estate, name: str, domain: Domain) -> None:
    bad = [c for c in name if c in _NOT_IN_ACCOUNT_NAMES or not c.isprintable()]
    if bad or name != name.strip() or not name or len(name) > _LONGEST_ACCOUNT or name.endswith("."):
        reason = f"it holds {bad[0]!r}" if bad else "it is empty, too long, ends with a dot, or has a space at an end"
        way_out = "Give the account another name: --account-name NAME" if bad else ""
        raise UsageError(f"'{name}' cannot be the name of a group: {reason}", way_out)
    taken = estate.catalogue.principals(estate.catalogue.by_name(name)).values()
    accounts = [p for p in taken if p.sid and p.sid.authority == domain.sid]
    if accounts:
        raise UsageError(f"{accounts[0].qualified_name} exists already: {accounts[0].kind.one} at {accounts[0].dn}")


def changed_group(
    estate: Estate,
    group: Principal,
    *,
    name: str = "",
    account_name: str = "",
    scope: str = "",
    security: bool | None = None,
    details: dict[str, str | None] | None = None,
    why: str = "",
) -> Draft:
    """Return the changes that give a group another name, scope, kind, or other details (nothing takes one away)."""
    changes = [*_details_changed(group, details or {}, why), *_type_changed(estate, group, scope, security, why)]
    account = account_name or name
    if account and account.casefold() != group.name.casefold():
        _refuse_name(estate, account, estate.domain.holding(group.dn))
    changes += _renamed(group, name, account, why)
    if group.flags & Flag.BUILTIN and (account or scope or security is not None):
        raise GuardError([f"{group.qualified_name} is built in: its name, scope and kind stay as they are"])
    notes = []
    if security is False and group.flags & Flag.SECURITY_GROUP:
        notes.append("a distribution group gives no access: all that was open to its members closes")
    return Draft.of(changes, notes)


_DETAIL_KEYS: Final = {"mail": "mail", "description": "description", "managedBy": "managed_by"}


def _details_changed(group: Principal, details: dict[str, str | None], why: str) -> Iterator[Change]:
    for attribute, value in details.items():
        standing = str(group.details.get(_DETAIL_KEYS[attribute], ""))
        if value is None or value == standing:
            continue
        change = AttributeChange.of(attribute, (standing,) if standing else (), (value,) if value else ())
        yield _setting(group, change, why)


def _type_changed(estate: Estate, group: Principal, scope: str, security: bool | None, why: str) -> Iterator[Change]:
    """Change scope and kind. Between global and domain local lies universal, so that this takes two steps."""
    was_scope = next((word for word, flag in _FLAGS.items() if group.flags & flag), "")
    if not was_scope:
        raise GuardError([f"{group.qualified_name} has no scope that is known here: its groupType is damaged"])
    was_security = bool(group.flags & Flag.SECURITY_GROUP)
    wanted, kind = scope or was_scope, was_security if security is None else security
    steps = [wanted]
    if refused_scope_change(_FLAGS[was_scope], _FLAGS[wanted]):
        steps = ["universal", wanted]
    now = (was_scope, was_security)
    for step in steps:
        if (step, kind) == now:
            continue
        wrong = list(_in_the_way(estate, group, now[0], step))
        if wrong:
            raise GuardError(wrong)
        before, after = group_type(now[0], security=now[1]), group_type(step, security=kind)
        change = AttributeChange.of("groupType", (before,), (after,))
        yield _setting(group, change, why)
        now = (step, kind)


def _in_the_way(estate: Estate, group: Principal, before: str, after: str) -> Iterator[str]:
    """What stands in the way of another scope ([MS-SAMR] 3.1.5.8.2): whom it holds, and who holds it."""
    if before == after:
        return
    catalogue, graph = estate.catalogue, estate.graph
    future = Principal(group.id, Kind.GROUP, group.name, group.qualified_name, group.sid, group.dn, _FLAGS[after])
    for member in catalogue.principals(graph.direct_members(group.id).tolist()).values():
        if member.kind == Kind.GROUP and refused_nesting(future, member):
            yield f"{refused_nesting(future, member)}. Take {member.qualified_name} out first"
    for holder in catalogue.principals(graph.groups_listing(group.id).tolist()).values():
        if refused_nesting(holder, future):
            yield f"{refused_nesting(holder, future)}. Take {group.qualified_name} out of it first"


def _renamed(group: Principal, name: str, account: str, why: str) -> Iterator[Change]:
    if account and account != group.name:
        yield _setting(group, AttributeChange.of("sAMAccountName", (group.name,), (account,)), why)
    container = Principal(NOT_COLLECTED, Kind.CONTAINER, "", "", None, parent_dn(group.dn))
    new_dn = child_dn("CN", name, container) if name else group.dn
    if leaf_name(new_dn) != leaf_name(group.dn):
        yield MoveObject(object=Named.of(group), to=new_dn, rule=BY_HAND_RULE, why=why)


def _setting(group: Principal, change: AttributeChange, why: str) -> Change:
    return SetAttributes(object=Named.of(group), attributes=(change,), rule=BY_HAND_RULE, why=why)


def deleted_group(estate: Estate, group: Principal, why: str) -> Draft:
    """Return the changes that take a group out of all groups and delete it."""
    if len(estate.graph.primary_members(group.id)):
        count = len(estate.graph.primary_members(group.id))
        way = "Give them another first: adzeguard group leave"
        raise GuardError([f"{group.qualified_name} is the primary group of {counted_noun(count, 'account')}. {way}"])
    holders = estate.catalogue.principals(estate.graph.groups_listing(group.id).tolist()).values()
    leaves = [leaving(holder, group, why) for holder in holders]
    deletion = DeleteObject(object=Named.of(group), rule=BY_HAND_RULE, why=why)
    changes: list[Change] = [*leaves, deletion]
    members = len(estate.graph.direct_members(group.id))
    stay = "member stays" if members == 1 else "members stay"
    notes = [f"its {members} {stay}; undo makes it again with them, under a new SID"]
    return Draft.of(changes, notes)
