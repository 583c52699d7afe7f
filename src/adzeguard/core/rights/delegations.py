"""Every grant of the directory: where it stands, who has it, and whether anybody wrote it down."""

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import field, replace
from functools import cached_property
from typing import Any, Final

import numpy as np

from adzeguard.core.descriptors.ace import Ace, AceFlag, Right, without_generic
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.descriptors.protection import ON_ITS_CONTAINER, ON_THE_OBJECT
from adzeguard.core.estate.catalogue import DescriptorUse, Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.places import short_dn
from adzeguard.core.estate.principal import CONTAINERS, Kind, Principal
from adzeguard.core.identity import Sid, fold_dn
from adzeguard.core.rights.duties import Duty, extent_in_words
from adzeguard.core.rights.grants import Grant, GrantReader, who_may
from adzeguard.core.rights.origin import given, giving_container
from adzeguard.core.rights.questions import class_of, class_of_kind
from adzeguard.core.rights.schema import Schema
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import (
    RID_DOMAIN_ADMINS,
    RID_ENTERPRISE_ADMINS,
    RID_OF_ADMINISTRATORS,
    RID_SCHEMA_ADMINS,
    WELL_KNOWN,
)

_AT_ONCE: Final = 500
"""Descriptors whose objects are looked up together."""


@dataclass(frozen=True, slots=True)
class Delegation:
    """One grant over one object."""

    over: Principal
    where: str
    """The object without the base, for people."""
    holder: Principal
    grant: Grant
    origin: str = ""
    """Where an inherited grant comes from."""

    @property
    def sentence(self) -> str:
        """The grant in words."""
        handed_on = self.grant.flags & ~AceFlag.INHERITED if self.over.kind in CONTAINERS else 0
        place = extent_in_words(handed_on, self.where)
        return f"{who_may(self.grant, self.holder.qualified_name)}, over {place}"


@dataclass(frozen=True)
class Rights:
    """What is needed to speak about rights: the schema, the duties of the workspace, and a reader by both."""

    estate: Estate
    schema: Schema
    duties: Mapping[str, Duty]
    _rulers: dict[Sid, frozenset[Sid]] = field(default_factory=dict, repr=False, compare=False)
    _as_born: dict[Sid, frozenset[tuple[Any, ...]]] = field(default_factory=dict, repr=False, compare=False)

    @cached_property
    def reader(self) -> GrantReader:
        """Reads entries back into grants."""
        return GrantReader(self.schema, self.duties, self.estate.domain)

    def own_grants(self, *, defaults: bool = False, holders: Collection[str] | None = None) -> Iterator[Delegation]:
        """Yield what was granted on each object itself, to anybody or to these holders, by their SIDs.

        Each distinct descriptor is read once. What the domain gives its own built-in principals and what every new
        object has is left out, but for `defaults`.
        """
        granting = list(self._granting(defaults, holders))
        # All at once: one by one, each of a hundred thousand holders and objects is a question to the store.
        self.estate.who_are({grant.who for _, grants in granting for grant in grants})
        for begin in range(0, len(granting), _AT_ONCE):
            some = [(use.ids, grants) for use, grants in granting[begin : begin + _AT_ONCE]]
            principals = self.estate.catalogue.principals(i for ids, _ in some for i in ids)
            for ids, grants in some:
                for principal in (principals[i] for i in ids if i in principals):
                    yield from (self._delegation(principal, grant) for grant in grants)

    def _granting(
        self, defaults: bool, holders: Collection[str] | None
    ) -> Iterator[tuple[DescriptorUse, Sequence[Grant]]]:
        """Yield the descriptors that give something of their own, with what they give."""
        for whole in self.estate.catalogue.descriptor_uses():
            given = [entry for entry in _entries(whole.raw) if not entry.inherited]
            if holders is not None:
                given = [entry for entry in given if entry.sid in holders]
            for domain, use in self._by_domain(whole) if given else ():
                own = given if defaults else [entry for entry in given if not self.is_built_in(entry, domain)]
                # Most objects share a few descriptors that give nothing of their own: they are not even looked up.
                grants = self.reader.grants(own, class_of_kind(use.kind), defaults=defaults, of=domain) if own else ()
                if grants:
                    yield use, grants

    def _by_domain(self, use: DescriptorUse) -> Iterator[tuple[Domain, DescriptorUse]]:
        """Yield what has a descriptor in each of the domains: what is built in here is a grant there."""
        domain = self.estate.domain
        if not domain.others:
            yield domain, use
            return
        ids = np.array(use.ids, np.int32)
        for other in domain.others:
            there = np.isin(ids, self.estate.ids_in(other))
            if there.any():
                yield other, replace(use, ids_of=ids[there].tolist)
            ids = ids[~there]
        if len(ids):
            yield domain, replace(use, ids_of=ids.tolist)

    def grants_over(self, principal: Principal, *, defaults: bool = False) -> list[Delegation]:
        """Return what is granted over one object, with what it has from above and where that comes from."""
        entries, domain = self._entries_over(principal), self.estate.domain.holding(principal.dn)
        if not defaults:
            entries = [e for e in entries if not self.is_built_in(e, domain) and not self._is_as_born(e, domain)]
        listed = self.reader.grants(entries, class_of(principal), defaults=defaults, of=domain)
        if principal.kind not in CONTAINERS:
            listed = [grant for grant in listed if not _only_about_children(grant)]
        self.estate.who_are({grant.who for grant in listed})
        return [self._delegation(principal, grant, self._origin(principal, grant)) for grant in listed]

    def of_every_domain(self, principal: Principal) -> int:
        """Return how many grants an object has from above that every domain is born with."""
        domain = self.estate.domain.holding(principal.dn)
        entries = [entry for entry in self._entries_over(principal) if self._is_as_born(entry, domain)]
        entries = [entry for entry in entries if not self.is_built_in(entry, domain)]
        return len(self.reader.grants(entries, class_of(principal), defaults=True))

    def _entries_over(self, principal: Principal) -> list[Ace]:
        raw = self.estate.catalogue.descriptors([principal.id]).get(principal.id)
        return list(Descriptor.from_bytes(raw).entries) if raw is not None else []

    def _is_as_born(self, entry: Ace, domain: Domain) -> bool:
        """Tell whether an entry comes from above and is one that the schema gives the top of every domain."""
        return entry.inherited and _as_born(entry) in self._born(domain)

    def _born(self, domain: Domain) -> frozenset[tuple[Any, ...]]:
        if domain.sid not in self._as_born:
            self._as_born[domain.sid] = frozenset(map(_as_born, self.reader.usual_entries("domainDNS", domain)))
        return self._as_born[domain.sid]

    def delegations_of(self, over: Principal, entries: Sequence[Ace]) -> list[Delegation]:
        """Return what some entries of an object give and deny, without what every new object has."""
        domain = self.estate.domain.holding(over.dn)
        return [self._delegation(over, grant) for grant in self.reader.grants(entries, class_of(over), of=domain)]

    def is_built_in(self, entry: Ace, domain: Domain) -> bool:
        """Tell whether it is protection against deletion, or what the rulers of this domain have everywhere in it."""
        if entry in (ON_THE_OBJECT, ON_ITS_CONTAINER):
            return True
        return not entry.denies and entry.sid in self._rulers_of(domain)

    def _rulers_of(self, domain: Domain) -> frozenset[Sid]:
        if domain.sid not in self._rulers:
            self._rulers[domain.sid] = self._ruling(replace(domain, others=()))
        return self._rulers[domain.sid]

    def _ruling(self, domain: Domain) -> frozenset[Sid]:
        of_domain = (RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS, RID_SCHEMA_ADMINS)
        everywhere = (WELL_KNOWN["system"], WELL_KNOWN["enterprise-domain-controllers"], WELL_KNOWN["creator-owner"])
        administrators = domain.built_in(RID_OF_ADMINISTRATORS)
        return frozenset({*administrators, *everywhere, *domain.accounts(*of_domain)})

    def _delegation(self, over: Principal, grant: Grant, origin: str = "") -> Delegation:
        return Delegation(over, short_dn(self.estate, over.dn), self.holder(grant.who), grant, origin)

    def holder(self, sid: Sid) -> Principal:
        """Return whom an entry is about; a SID that resolves to nothing stands for itself."""
        principal, known = self.estate.who_are((sid,))[sid], outsider(sid)
        # Everyone is everybody, also where the directory has an object of that name to be listed in groups.
        return known if (principal.kind, known.kind) == (Kind.FOREIGN, Kind.WELL_KNOWN) else principal

    def _origin(self, principal: Principal, grant: Grant) -> str:
        """Follow an inherited grant up to the container on which it was given."""
        if not grant.inherited:
            return ""
        listed = giving_container(self.estate, principal.dn, {given(entry) for entry in grant.entries})
        return "above" if listed is None else short_dn(self.estate, self.estate.principal(listed).dn)


def _as_born(entry: Ace) -> tuple[Any, ...]:
    return entry.kind, entry.sid, without_generic(entry.mask), entry.object_type, entry.inherited_type


def _entries(raw: bytes) -> tuple[Ace, ...]:
    """The entries of a descriptor, none of a damaged one, which is told on its own."""
    return Descriptor.from_bytes(raw).entries if is_readable(raw) else ()


def _only_about_children(grant: Grant) -> bool:
    """Tell whether a grant means nothing where nothing lies below."""
    children = int(Right.CREATE_CHILD | Right.DELETE_CHILD | Right.LIST_CHILDREN)
    return grant.inherited and all(entry.inherit_only or not entry.mask & ~children for entry in grant.entries)


def is_person(principal: Principal) -> bool:
    """Tell whether a grant to it is a grant to somebody rather than to a group."""
    return principal.kind in (Kind.USER, Kind.CONTACT)


def sorted_for_people(delegations: Iterable[Delegation]) -> list[Delegation]:
    """Sort by the tree of the directory, then by holder."""

    def place(delegation: Delegation) -> tuple[str, str, str]:
        tree = ",".join(reversed(fold_dn(delegation.over.dn).split(",")))
        return tree, delegation.holder.qualified_name.casefold(), delegation.grant.words

    return sorted(delegations, key=place)
