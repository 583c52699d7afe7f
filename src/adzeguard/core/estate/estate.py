"""The estate: all that was collected at one moment, the directory and the hosts."""

from collections import Counter
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import field, replace
from datetime import datetime
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.estate.administrators import Administrators, ToldByColumns
from adzeguard.core.estate.catalogue import Catalogue, Domain
from adzeguard.core.estate.foreign import may_hold_others, with_foreign_name
from adzeguard.core.estate.hosts import Host, SearchableHosts
from adzeguard.core.estate.links import Ids, Links
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.estate.trusts import Trust, trusts_of
from adzeguard.core.identity import OF_A_DOMAIN, Sid
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import EVERYONE_LIKE


@dataclass(frozen=True)
class Estate:
    """One moment of the directory and the hosts."""

    taken_at: datetime
    domain: Domain
    catalogue: Catalogue
    memberships: MembershipGraph | Callable[[], MembershipGraph]
    """The graph, or what gives it when somebody first looks at it."""
    hosts: Sequence[Host] = ()
    _by_sid: dict[str, int | None] = field(default_factory=lambda: {"": None}, repr=False)
    _named: dict[Sid, Principal] = field(default_factory=dict, repr=False)
    _in_domains: dict[str, Ids] = field(default_factory=dict, repr=False)

    @cached_property
    def graph(self) -> MembershipGraph:
        """All memberships."""
        return self.memberships if isinstance(self.memberships, MembershipGraph) else self.memberships()

    def principal(self, object_id: int) -> Principal:
        """Return one object; `KeyError` when there is none."""
        return self.catalogue.principals([object_id])[object_id]

    def id_of_sid(self, sid: str) -> int | None:
        """Return the object with this SID, remembered, since hosts name the same few again and again."""
        if sid not in self._by_sid:
            self.ids_of_sids([sid])
        return self._by_sid[sid]

    def ids_of_sids(self, sids: Iterable[str]) -> Mapping[str, int | None]:
        """Look up many SIDs at once and remember them; those that belong to no object give nothing."""
        unknown = {sid for sid in sids if sid not in self._by_sid}
        if unknown:
            found = self.catalogue.by_sids(unknown)
            self._by_sid.update({sid: found.get(sid) for sid in unknown})
        return self._by_sid

    @cached_property
    def _apart(self) -> dict[frozenset[Sid], tuple[frozenset[int], frozenset[int]]]:
        return {}

    def groups_and_people(self, sids: frozenset[Sid]) -> tuple[frozenset[int], frozenset[int]]:
        """Return the ids of those of the directory among members of a local group: groups, and the others; remembered.

        What is foreseen and what guards it ask the same of twenty thousand hosts.
        """
        if sids not in self._apart:
            known = self.ids_of_sids(sids)
            found = {i for sid in sids if (i := known[sid]) is not None}
            groups = self.graph.groups_among(found)
            self._apart[sids] = groups, frozenset(found - groups)
        return self._apart[sids]

    def who_are(self, sids: Iterable[Sid]) -> Mapping[Sid, Principal]:
        """Return what SIDs mean away from any host, remembered: an object of the directory, else what can be said."""
        unknown = {sid for sid in sids if sid not in self._named}
        if unknown:
            ids = self.ids_of_sids(unknown)
            found = self.catalogue.principals(i for sid in unknown if (i := ids[sid]) is not None)
            for sid in unknown:
                i = ids[sid]
                self._named[sid] = found[i] if i is not None else self._outsider(sid)
        return self._named

    def _outsider(self, sid: Sid) -> Principal:
        known = outsider(sid)
        return with_foreign_name(known, self.catalogue.foreign_names()) if known.kind == Kind.UNRESOLVED else known

    def is_of_another_domain(self, sid: str) -> bool:
        """Tell whether another domain, or a machine, gave out a SID: whether it is alive is not known here."""
        if not sid.startswith(OF_A_DOMAIN):
            return False
        # Asked of every member of every host: one comparison is a third of a look-up among several domains.
        return self.domain.of_sid(sid) is None if self.domain.others else Sid(sid).authority != self.domain.sid

    def counts_at(self, sid: str, dn: str) -> Domain | None:
        """Return whose people can have a SID in their token where an object of this name is looked after.

        The first domain with all others beside it means everybody, none means nobody. What the groups are that every
        domain has, is said in none but their own. A domain local group counts there as well; a server of Samba's
        tells it over a trust too, of people of that domain (seen with 4.17), though it need not ([MS-PAC] 4.1.2.2).
        """
        given_by = self.domain.of_sid(sid) if self.domain.others else None
        if given_by is None or given_by.sid == self.domain.holding(dn).sid:
            return self.domain
        found = self.id_of_sid(sid)
        flags = self.principal(found).flags if found is not None else Flag(0)
        if flags & Flag.BUILTIN:
            return None
        return replace(given_by, others=()) if flags & Flag.DOMAIN_LOCAL else self.domain

    def ids_in(self, domain: Domain) -> Ids:
        """Return the ids of all that stands in a domain, its top among them, remembered."""
        if domain.base_dn not in self._in_domains:
            below, top = self.catalogue.below(domain.base_dn), self.catalogue.by_dn(domain.base_dn)
            self._in_domains[domain.base_dn] = below if top is None else np.append(below, np.int32(top))
        return self._in_domains[domain.base_dn]

    @cached_property
    def of_other_domains(self) -> Mapping[int, Principal]:
        """Those of other domains who stand in a group or in rights here, by id."""
        foreign = self.catalogue.principals(self.catalogue.of_kind(Kind.FOREIGN).tolist())
        return {i: one for i, one in foreign.items() if self.is_of_another_domain(one.sid or "")}

    def holds_unknown(self, one: Principal) -> bool:
        """Tell whether others may be inside somebody, and only another domain knows who."""
        return may_hold_others(one) and self.is_of_another_domain(one.sid or "")

    @cached_property
    def foreign_groups_inside(self) -> Mapping[int, int]:
        """By group, how many of other domains are inside of which only their own domain knows who is inside them."""
        holding = [i for i, one in self.of_other_domains.items() if self.holds_unknown(one)]
        return Counter(group for i in holding for group in self.graph.effective_groups(i).tolist())

    def groups_that_may_hold(self, who: Principal) -> list[Principal]:
        """Return the groups of somebody's own domain that stand here: whether they are inside, it alone knows."""
        sid = who.sid
        if sid is None or not self.is_of_another_domain(sid):
            return []
        of_domain = (one for one in self.of_other_domains.values() if one.sid and one.sid.authority == sid.authority)
        return [one for one in of_domain if one.sid != sid and self.holds_unknown(one)]

    def resolves_to_nothing(self, principal: Principal) -> bool:
        """Tell whether somebody is gone: a SID of this domain without an object, or with a mere placeholder for one."""
        sid = principal.sid or ""
        placeholder = principal.kind == Kind.FOREIGN and sid.startswith(OF_A_DOMAIN)
        return (principal.kind == Kind.UNRESOLVED or placeholder) and not self.is_of_another_domain(sid)

    @cached_property
    def trusts(self) -> Sequence[Trust]:
        """The trusts of the domain, sorted by name."""
        kinds = [self.catalogue.of_kind(kind).tolist() for kind in (Kind.TRUSTED_DOMAIN, Kind.TRUST)]
        domains, accounts = (self.catalogue.principals(ids).values() if ids else () for ids in kinds)
        return trusts_of(domains, accounts)

    def from_elsewhere(self, sid: str, dn: str) -> str:
        """Return whose a SID is where it is of another domain than what stands under this name; else nothing."""
        given_by = self.domain.of_sid(sid)
        beyond = self.is_of_another_domain(sid) if given_by is None else given_by.sid != self.domain.holding(dn).sid
        return self.domain_in_words(sid) if beyond else ""

    def domain_in_words(self, sid: str) -> str:
        """Return whose a SID of another domain is: `of ISLE`, or `of an unknown domain`."""
        authority, ours = Sid(sid).authority, self.domain.of_sid(sid)
        if ours is not None:
            return f"of {ours.short_name}"
        known = next((trust.short_name for trust in self.trusts if trust.sid == authority), "")
        return f"of {known}" if known else "of an unknown domain"

    @cached_property
    def hosts_by_name(self) -> Mapping[str, Host]:
        """The hosts by their folded names; of two domains' hosts of one name the one that is looked after."""
        by_name: dict[str, Host] = {}
        for host in self.hosts:
            if host.source or host.name.casefold() not in by_name:
                by_name[host.name.casefold()] = host
        return by_name

    @cached_property
    def places_of_hosts(self) -> Mapping[str, Sequence[int]]:
        """By folded name, where hosts stand among `hosts`."""
        places: dict[str, list[int]] = {}
        for place, host in enumerate(self.hosts):
            places.setdefault(host.name.casefold(), []).append(place)
        return places

    def host_named(self, name: str) -> Host | None:
        """Return the host of this name, ignoring case, without reading the others where that can be."""
        hosts = self.hosts
        if isinstance(hosts, SearchableHosts) and not hosts.is_fetched:
            return hosts.named(name)
        return self.hosts_by_name.get(name.casefold())

    @cached_property
    def alike_hosts(self) -> Sequence[Sequence[Host]]:
        """The hosts, those together whose states differ in their own SIDs alone: of a few images come thousands."""
        together: dict[int, list[Host]] = {}
        for host in self.hosts:
            # A directory server's own accounts are those of its domain: no other host's are.
            alike = host.state.alike if host.state is not None and not host.is_of_directory else None
            together.setdefault(id(host if alike is None else alike), []).append(host)
        return list(together.values())

    def marked(self, ids: Iterable[int]) -> NDArray[np.bool_]:
        """Return for every id whether it is one of these."""
        marked = np.zeros(max(self.graph.size, self.catalogue.size), bool)
        marked[list(ids)] = True
        return marked

    def of_kinds(self, kinds: Iterable[Kind]) -> NDArray[np.bool_]:
        """Return for every id whether it is of one of these kinds."""
        found = np.zeros(max(self.graph.size, self.catalogue.size), bool)
        for kind in kinds:
            found[self.catalogue.of_kind(kind)] = True
        return found

    def groups_and_people_at(self, place: int) -> tuple[frozenset[int], Ids]:
        """Return the same as `groups_and_people` of those, the people sorted; without their SIDs where that can be."""
        row = self.administrators.rows.get(self.hosts[place].id)
        if row is None:
            groups, people = self.groups_and_people(self.hosts[place].administrators)
            return groups, np.array(sorted(people), np.int32)
        if row not in self._apart_by_row:
            ids = self.administrators.ids.row(row)
            of_groups = self._is_group[ids]
            self._apart_by_row[row] = frozenset(ids[of_groups].tolist()), ids[~of_groups]
        return self._apart_by_row[row]

    @cached_property
    def _apart_by_row(self) -> dict[int, tuple[frozenset[int], Ids]]:
        return {}

    @cached_property
    def _is_group(self) -> NDArray[np.bool_]:
        return self.marked(self.graph.group_ids.tolist())

    @cached_property
    def host_administrators(self) -> Sequence[frozenset[Sid]]:
        """For each of `hosts`, the direct members of its administrators group; empty where nothing was read."""
        return [host.administrators for host in self.hosts]

    @cached_property
    def administrators(self) -> Administrators:
        """Who of the directory administers each host, as ids."""
        if isinstance(self.hosts, ToldByColumns):
            told = self.hosts.administrators(self.catalogue)
            if told is not None:
                return told
        ids = self.ids_of_sids({sid for members in self.alike_administrators for sid in members})
        found = [[i for sid in members if (i := ids[sid]) is not None] for members in self.alike_administrators]
        rows = {h.id: row for row, some in enumerate(self.alike_hosts) for h in some if not h.is_of_directory}
        everybody = [not EVERYONE_LIKE.isdisjoint(members) for members in self.alike_administrators]
        return Administrators(rows, Links.of_rows(found), np.array(everybody, bool))

    @cached_property
    def alike_administrators(self) -> Sequence[frozenset[Sid]]:
        """For each of `alike_hosts`, the same as `host_administrators` of the first; accounts of hosts differ alone."""
        return [some[0].administrators for some in self.alike_hosts]

    @cached_property
    def hosts_administered(self) -> Mapping[Sid, int]:
        """On how many hosts each of the directory is a direct member of the administrators group.

        No account is counted that a host has for itself: nothing of the directory bears its SID, and of twenty thousand
        hosts they are as many to look up. A directory server's own accounts are those of its domain.
        """
        counts: Counter[Sid] = Counter()
        for some, members in zip(self.alike_hosts, self.alike_administrators, strict=True):
            machine = some[0].state.machine_sid if some[0].state is not None else ""
            for sid in members:
                if sid.authority != machine or self.domain.of_sid(sid) is not None:
                    counts[sid] += len(some)
        return counts
