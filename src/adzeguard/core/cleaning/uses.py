"""Everything that names a group, an account or another object: what would break if it went away."""

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import field, fields, is_dataclass
from functools import cached_property, partial
from typing import Any, Final

from adzeguard.core.access.shares import Shared
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import InputError
from adzeguard.core.estate.administrators import ToldByColumns
from adzeguard.core.estate.elevation import elevations_of
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import FoundOnce, Host, HostState
from adzeguard.core.estate.logon import logon_of
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.policy_links import policy_links
from adzeguard.core.estate.principal import LINKED_TO, Kind, Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.share_access import mask_in_words
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.question import Waiver
from adzeguard.core.values import dataclass
from adzeguard.core.wording import when_utc

_OWNED_SHOWN: Final = 5
_MANAGED: Final = (Kind.GROUP, Kind.OU, Kind.COMPUTER)


@dataclass(frozen=True, slots=True)
class Use:
    """One thing that names an object. `what` is one of the words below, `where` it stands, `detail` says more."""

    what: str
    where: str
    detail: str = ""


@dataclass(frozen=True)
class Named:
    """Where uses are looked for, and of what: one object or many, whose answer costs no more."""

    rights: Rights
    charter: ResolvedCharter | None
    leases: Sequence[Lease]
    waivers: Sequence[Waiver]
    of: Sequence[Principal]
    shared: Shared = field(default_factory=Shared)

    @property
    def estate(self) -> Estate:
        """The estate."""
        return self.rights.estate

    @cached_property
    def by_sid(self) -> Mapping[str, Principal]:
        """What is looked for, by its SID where it has one."""
        return {str(one.sid): one for one in self.of if one.sid}

    @cached_property
    def by_dn(self) -> Mapping[str, Principal]:
        """What is looked for, by its folded name."""
        return {fold_dn(one.dn): one for one in self.of if one.dn}


Found = tuple[Principal, Use]
Finder = Callable[[Named], Iterable[Found]]


def uses_of(named: Named) -> list[Use]:
    """Return every use, kind by kind in the order of the table."""
    return [use for find in FINDERS for _, use in find(named)]


def uses_by_id(named: Named) -> dict[int, list[Use]]:
    """Return the uses of each object, by its id; an empty mapping for one that nothing names."""
    found: dict[int, list[Use]] = {}
    for find in FINDERS:
        for one, use in find(named):
            found.setdefault(one.id, []).append(use)
    return found


def _memberships(named: Named) -> Iterator[Found]:
    graph = named.estate.graph
    listed = {one.id: graph.groups_listing(one.id).tolist() for one in named.of if one.id >= 0}
    primary = {one.id: graph.primary_groups(one.id).tolist() for one in named.of if one.id >= 0}
    known = named.estate.catalogue.principals({i for ids in (*listed.values(), *primary.values()) for i in ids})
    for one in named.of:
        for ids, detail in (
            (listed.get(one.id, ()), "it is a member"),
            (primary.get(one.id, ()), "it is its primary group"),
        ):
            for group in sorted((known[i] for i in ids if i in known), key=lambda p: p.qualified_name.casefold()):
                yield one, Use("membership", group.qualified_name, detail)


def _grants(named: Named) -> Iterator[Found]:
    for given in named.rights.own_grants(defaults=True, holders=named.by_sid):
        one = named.by_sid.get(str(given.holder.sid))
        if one is not None:
            yield one, Use("denial" if given.grant.deny else "grant", given.where, given.sentence)


def _rules(named: Named) -> Iterator[Found]:
    wanted = {(one.id, one.sid): one for one in named.of}
    seen: set[tuple[int, str, str]] = set()
    for rule in named.charter.rules if named.charter is not None else ():
        for principal in _principals_in(rule):
            one = wanted.get((principal.id, principal.sid))
            what = "roster" if ".csv" in rule.rule.place.file else "rule"
            if one is not None and (one.id, what, rule.id) not in seen:
                seen.add((one.id, what, rule.id))
                yield one, Use(what, rule.id, rule.rule.place.at())


def _principals_in(value: Any) -> Iterator[Principal]:
    """Yield every object that a resolved rule names, in any of its parts."""
    if isinstance(value, Principal):
        yield value
    elif isinstance(value, RuleBase | str):
        return
    elif is_dataclass(value):
        for one in fields(value):
            yield from _principals_in(getattr(value, one.name))
    elif isinstance(value, Mapping):
        for part in value.values():
            yield from _principals_in(part)
    elif isinstance(value, tuple | list | frozenset):
        for part in value:
            yield from _principals_in(part)


def _on_hosts(named: Named) -> Iterator[Found]:
    once: FoundOnce[Found] = FoundOnce()
    of_directory = {one.sid for one in named.estate.domain.all}
    hosts = named.estate.hosts
    naming = hosts.naming(named.by_sid) if isinstance(hosts, ToldByColumns) and named.by_sid else None
    for host in hosts if named.by_sid else ():
        if host.state is not None and host.state.machine_sid in of_directory:
            yield from _on_host(named, host, host.state)  # its own accounts are the directory's
        elif host.state is not None:
            find = _on_host if naming is None or host.id in naming else _by_settings
            yield from once.on(host.state, partial(find, named, host, host.state))


def _on_host(named: Named, host: Host, state: HostState) -> Iterator[Found]:
    for group in state.groups:
        yield from _each(named, group.members, Use("local-group", host.name, group.name))
    yield from _by_settings(named, host, state)


def _by_settings(named: Named, host: Host, state: HostState) -> Iterator[Found]:
    rules = logon_of(state)
    for words, lists in (("refused", rules.refused), ("alone let in", rules.alone)) if rules is not None else ():
        for sid in {sid for sids in lists.values() for sid in sids if sid in named.by_sid}:
            ways = sorted(way for way, sids in lists.items() if sid in sids)
            yield named.by_sid[sid], Use("refusal", host.name, f"{words} by {', '.join(ways)}")
    elevations = elevations_of(state)
    for one in sorted(elevations.granted) if elevations is not None else ():
        yield from _each(named, (one.who,), Use("elevation", host.name, one.program))


def _each(named: Named, sids: Iterable[str], use: Use) -> Iterator[Found]:
    yield from ((named.by_sid[sid], use) for sid in sids if sid in named.by_sid)


def _in_time(named: Named) -> Iterator[Found]:
    for lease in named.leases:
        if lease.is_open:
            words = f"{lease.member} in {lease.group} until {when_utc(lease.until)}"
            yield from _each(named, {lease.member_sid, lease.group_sid} - {""}, Use("lease", lease.id, words))
    by_name = {one.qualified_name: one for one in named.of}
    for waiver in named.waivers:
        for name in {waiver.member, waiver.subject}:
            if name in by_name:
                yield by_name[name], Use("waiver", waiver.id, waiver.in_words())


def _managed(named: Named) -> Iterator[Found]:
    catalogue = named.estate.catalogue
    managed = catalogue.principals(catalogue.with_detail("managed_by").tolist()) if named.by_dn else {}
    for one in (one for one in managed.values() if one.kind in _MANAGED):
        manager = named.by_dn.get(fold_dn(str(one.details.get("managed_by", ""))))
        if manager is not None:
            yield manager, Use("managed-by", one.qualified_name, one.kind.label)


def _owned(named: Named) -> Iterator[Found]:
    owned: dict[str, list[int]] = {}
    for use in named.estate.catalogue.descriptor_uses() if named.by_sid else ():
        try:
            owner = str(Descriptor.from_bytes(use.raw).owner)
        except InputError:  # told by a check of its own
            continue
        if owner in named.by_sid:
            owned.setdefault(owner, []).extend(use.ids)
    for owner, ids in owned.items():
        shown = named.estate.catalogue.principals(ids[:_OWNED_SHOWN]).values()
        for one in shown:
            yield named.by_sid[owner], Use("owner", short_dn(named.estate, one.dn), one.kind.label)
        if len(ids) > _OWNED_SHOWN:
            yield named.by_sid[owner], Use("owner", f"and {len(ids) - _OWNED_SHOWN} more objects")


def _linked(named: Named) -> Iterator[Found]:
    """Yield the OUs to which a directory policy is linked."""
    policies = {dn: one for dn, one in named.by_dn.items() if one.kind == Kind.POLICY}
    if not policies:
        return
    catalogue = named.estate.catalogue
    ids = [i for kind in LINKED_TO for i in catalogue.of_kind(kind).tolist()]
    for ou in catalogue.principals(ids).values():
        for link in policy_links(str(ou.details.get("policy_links", ""))):
            one = policies.get(fold_dn(link.policy_dn))
            if one is not None:
                words = "link is on" if link.on else "link is off"
                yield one, Use("policy-link", short_dn(named.estate, ou.dn), words)


def _filtered(named: Named) -> Iterator[Found]:
    """Yield the directory policies that an object may apply, or may not: by whom they are filtered."""
    apply = named.rights.schema.control_rights.get("Apply-Group-Policy")
    for given in named.rights.own_grants(defaults=True, holders=named.by_sid) if apply is not None else ():
        one = named.by_sid.get(str(given.holder.sid))
        filters = given.over.kind == Kind.POLICY and any(e.object_type == apply for e in given.grant.entries)
        if one is not None and filters:
            verb = "does not apply" if given.grant.deny else "applies"
            yield one, Use("policy-filter", given.over.name, f"it {verb} to its members")


def _on_shares(named: Named) -> Iterator[Found]:
    """Yield the shares and folders on which something is given or denied to an object, there itself."""
    for path, descriptor in named.shared.entries() if named.by_sid else ():
        for entry in descriptor.entries:
            one = named.by_sid.get(str(entry.sid)) if not entry.inherited else None
            if one is not None:
                what, verb = ("share-denial", "may not") if entry.denies else ("share", "may")
                yield one, Use(what, path, f"it {verb} {mask_in_words(entry.mask)}")


FINDERS: Final[tuple[Finder, ...]] = (
    _memberships,
    _grants,
    _rules,
    _on_hosts,
    _in_time,
    _managed,
    _owned,
    _linked,
    _filtered,
    _on_shares,
)
"""A further place where something can be named is a function beside these, and a row here."""
