"""Reach: everybody who is, or by the rights they hold could make themselves, a member of a group.

A graph is walked backwards from the group. Whoever is in the group, holds it by its rights, or holds one of those,
stands behind it. Grants are edges of their own, so that one that reaches many objects through an OU is one.
"""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from adzeguard.core.access.members import like_everyone, people_in_any
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor, is_readable
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.principal import ACCOUNTS, Kind, Principal
from adzeguard.core.identity import parent_dn
from adzeguard.core.rights.acting_as import ActingAs
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.letting_act import LettingAct
from adzeguard.core.rights.moves import Moves
from adzeguard.core.rights.origin import Given, given, giving_container
from adzeguard.core.rights.over_hosts import OverHosts
from adzeguard.core.rights.passages import Passages
from adzeguard.core.rights.policy_filters import PolicyFilters
from adzeguard.core.rights.questions import Asked
from adzeguard.core.rights.reach_graph import EVERYBODY, Edge, ReachGraph, object_of, objects_of
from adzeguard.core.rights.shadowed import Walker, seen_among
from adzeguard.core.rights.takeover import Kept, Takeover, TakeoverReader
from adzeguard.core.rights.ways import (
    ADMINISTERS,
    LETTING_ACT,
    LINKING,
    MEMBER,
    MOVING,
    MOVING_AS,
    OWNER,
    OWNS,
    PRIMARY,
    RIGHTS,
    SEES,
)
from adzeguard.core.wellknown import (
    EVERYONE_LIKE,
    RID_DIRECTORY_SERVERS,
    RID_DOMAIN_ADMINS,
    RID_ENTERPRISE_ADMINS,
    RID_OF_ADMINISTRATORS,
    WELL_KNOWN,
)

_MOVABLE: Final = ACCOUNTS | {Kind.GROUP}
_HOSTS: Final = frozenset({Kind.COMPUTER})
_PEOPLE: Final = frozenset({Kind.USER})
_MOST_HOSTS: Final = 2
"""Hosts on one way: over a few more everybody leads to everybody, as was seen with logons by chance."""
_MOST_BEHIND_HOSTS: Final = 20_000
"""Of more that lead there over hosts nothing is asked: who has a way over hosts is mostly everybody by then."""
_AT_ONCE_BEHIND_HOSTS: Final = 2_000
_MOST_BECOMING: Final = 20_000
"""Of more who become somebody who may move an object it is not asked who does."""
_MOST_IN_GROUP: Final = 1_000
"""A larger group that administers a host leads there; where else its people left something is not asked."""


class ReachFinder:
    """Walks backwards from groups, level by level; what it has read of objects it remembers."""

    def __init__(self, rights: Rights, *, with_directory: bool = False, over: OverHosts | None = None) -> None:
        """`with_directory` follows the principals as well that control the whole directory anyway; `over` are hosts."""
        self._over = over
        self._estate = rights.estate
        self._schema = rights.schema
        self._reader = TakeoverReader(rights.schema)
        self._with_directory = with_directory
        self._rule_over(rights.estate.domain)
        self._passages = Passages(rights.estate, PolicyFilters(rights.estate, rights.schema, lambda: self._tokens))
        self._acting_as = ActingAs(rights.estate)
        self._letting_act = LettingAct(rights.estate, self._reader, lambda: self._everybody)
        self._like_everyone = like_everyone(rights.estate)
        self._principals: dict[int, Principal] = {}
        self._descriptors: dict[int, bytes] = {}
        self._takeovers: dict[tuple[int, bool, Kept, bytes], tuple[Takeover, ...]] = {}
        self._origins: dict[tuple[str, Given], int | None] = {}

    @cached_property
    def _tokens(self) -> Tokens:
        return Tokens(self._estate)

    @cached_property
    def _everybody(self) -> Everybody:
        return Everybody(self._estate, self._tokens)

    @cached_property
    def _people_ruling(self) -> NDArray[np.bool_]:
        return people_in_any(self._estate.graph, self._ruling)

    @cached_property
    def _moves(self) -> Moves:
        return Moves(self._estate, self._schema, self._reader, self._tokens, self._ruling)

    @cached_property
    def _walker(self) -> Walker:
        seen = seen_among(self._principals, self._descriptors)
        return Walker(self._estate, self._tokens, self._everybody, seen)

    def _rule_over(self, domain: Domain) -> None:
        """Leave those out, from here on, who rule a domain anyway; whoever rules another one does not."""
        self._of_domain = domain
        self._leading_on: dict[int, Sequence[int]] = {}
        self._become: dict[tuple[int, ...], dict[int, int]] = {}
        self._lead: dict[int, tuple[Sequence[Takeover], Sequence[tuple[Takeover, int]]]] = {}
        self._ruling = frozenset() if self._with_directory else ruling_ids(self._estate, domain)
        for of_domain in ("_people_ruling", "_rule_anyway", "_moves"):
            self.__dict__.pop(of_domain, None)

    def graph(self, group: int) -> ReachGraph:
        """Return what stands behind a group."""
        found = ReachGraph(group)
        if self._estate.domain.others:
            domain = self._estate.domain.holding(self._estate.principal(group).dn)
            if domain != self._of_domain:
                self._rule_over(domain)
        level, seen = [group], {group}
        behind_hosts: list[int] = []
        self._hosts_passed = over_no_host = 0
        self._leaves_out = False
        # First all that leads there over no host, then over one more: the fewer hosts, the shorter is a way.
        while level or behind_hosts:
            if not level:
                level, behind_hosts = behind_hosts, []
                over_no_host = over_no_host if self._hosts_passed else len(found.edges)
                self._hosts_passed += 1
            following: list[int] = []
            for edge in self._behind_all(level):
                if self._hosts_passed and len(found.edges) - over_no_host >= _MOST_BEHIND_HOSTS:
                    self._leaves_out = True
                    break
                found.edges.append(edge)
                if edge.holder not in seen:
                    seen.add(edge.holder)
                    found.onward[edge.holder] = edge
                    (behind_hosts if edge.how == SEES else following).append(edge.holder)
            level = following
        found.is_cut_short |= self._leaves_out
        if any(edge.doubt for edge in found.edges):
            self._walker.settle(found)
        self._leave_out_idle_hosts(found)
        return found

    def _behind_all(self, level: Sequence[int]) -> Iterator[Edge]:
        """Yield what stands behind each of a level. Behind hosts it may end long before the last, and is read so."""
        at_once = _AT_ONCE_BEHIND_HOSTS if self._hosts_passed else len(level)
        for begin in range(0, len(level), at_once):
            some = level[begin : begin + at_once]
            self._load(objects_of(some))
            self._look_ahead(some)
            for target in some:
                yield from self._behind(target)

    def _load(self, ids: Iterable[int]) -> None:
        """Read the objects of a level in one go."""
        unknown = [i for i in ids if i not in self._principals]
        principals = self._estate.catalogue.principals(unknown)
        self._principals |= principals
        self._passages.look_ahead(principals.values())
        found = self._estate.catalogue.descriptors(unknown)
        self._descriptors |= {i: raw for i, raw in found.items() if is_readable(raw)}

    def _look_ahead(self, level: Iterable[int]) -> None:
        """Look up who holds something over the objects of a level in one go."""
        loaded = [(self._principals.get(i), self._descriptors.get(i)) for i in objects_of(level)]
        held = (hold for one, raw in loaded if one is not None and raw is not None for hold in self._held(one, raw))
        self._estate.ids_of_sids({hold.who for hold in held})
        if self._over is not None and self._hosts_passed < _MOST_HOSTS:
            self._over.look_ahead(one.sid for one, _ in loaded if one and one.kind in ACCOUNTS - _HOSTS and one.sid)

    def _behind(self, target: int) -> Iterator[Edge]:
        yield from self._steps_to(target)
        principal, raw = self._principals.get(target), self._descriptors.get(target)
        if principal is None:
            return
        yield from self._through_hosts(principal)
        if principal.kind == Kind.DOMAIN:
            yield from self._letting_accounts_act(principal)
        # Behind a host who may move somebody is not asked: of thousands it took minutes, place by place.
        if raw is not None and principal.kind in _MOVABLE and not self._hosts_passed:
            yield from self._movers(principal, raw)
            yield from self._moving_together(principal, raw)

    def _steps_to(self, node: int) -> Iterator[Edge]:
        principal, raw = self._principals.get(object_of(node)), self._descriptors.get(object_of(node))
        if principal is None:
            return
        if node == principal.id:
            yield from self._directly_behind(principal, raw)
        elif principal.kind == Kind.POLICY:
            yield from self._filtering(node, principal, raw)
        else:
            yield from self._linking(node, principal, raw)

    def _directly_behind(self, principal: Principal, raw: bytes | None) -> Iterator[Edge]:
        yield from self._members(principal)
        if raw is not None:
            yield from self._holders(principal, raw)
            yield from self._passages.container(principal, raw)
        yield from self._passages.beyond_rights(principal)
        yield from (edge for edge in self._acting_as.behind(principal) if edge.holder not in self._ruling)

    def _letting_accounts_act(self, domain: Principal) -> Iterator[Edge]:
        for who, entry, account in self._letting_act.behind(domain, self._people_ruling):
            if who not in self._ruling:
                by = f"by rights over {account.qualified_name}"
                yield Edge(who, domain.id, LETTING_ACT.sentence, entry, self._origin(account, entry), evidence=by)

    def _through_hosts(self, principal: Principal) -> Iterator[Edge]:
        """Yield the hosts on which somebody left something, and who administers a host."""
        if self._over is None or principal.sid is None:
            return
        if principal.kind == Kind.COMPUTER:
            yield from (Edge(holder, principal.id, ADMINISTERS) for holder in self._administrators(principal.id))
        elif principal.kind in ACCOUNTS and self._hosts_passed < _MOST_HOSTS:
            for host, left, refused in self._over.left_by(principal.sid):
                if not host.is_of_directory:
                    words, proof = left.in_words(refused=refused), left.proof(self._over.now)
                    yield Edge(host.id, principal.id, SEES, evidence=words, proof=int(proof))

    def _leave_out_idle_hosts(self, found: ReachGraph) -> None:
        """Leave out the hosts at which nobody gets who does not rule the domain anyway.

        A host is had by its administrators, and by whoever gets at its account or at a policy that applies to it: the
        account is administrator there (seen with Samba: a ticket to itself in the name of anybody).
        """
        gives = self._estate.graph.gives_anything
        led = {edge.target for edge in found.edges if edge.how == ADMINISTERS and gives(edge.holder)}
        # Behind some nothing was asked where there was too much: they have no edge at all.
        asked = {edge.target for edge in found.edges}
        hosts = {edge.holder for edge in found.edges if edge.how == SEES} & asked - led
        if not hosts:
            return
        # What has the whole domain has all hosts, and needs none of them.
        ends = {found.group} | {i for i in found.onward if self._is_domain(i)}
        onward: dict[int, list[int]] = {}
        for edge in found.edges:
            if edge.target not in ends:
                onward.setdefault(edge.holder, []).append(edge.target)
        ends |= found.closed_to
        waiting = [i for i in onward if i not in ends and self._acts(i, found)]
        reached = set(waiting)
        while waiting:
            fresh = set(onward.get(waiting.pop(), ())) - reached
            reached |= fresh
            waiting += fresh
        idle = hosts - reached
        found.edges = [edge for edge in found.edges if edge.target not in idle and edge.holder not in idle]

    def _is_domain(self, node: int) -> bool:
        return node in self._principals and self._principals[node].kind == Kind.DOMAIN

    def _acts(self, node: int, found: ReachGraph) -> bool:
        """Tell whether somebody acts by themselves, and does not rule the domain anyway; a host on the way does not."""
        if node == EVERYBODY:
            return True
        one = self._principals.get(node)
        on_the_way = node in found.onward and found.onward[node].how == SEES
        return (
            one is not None and one.kind in ACCOUNTS | {Kind.FOREIGN} and not on_the_way and not self._rule_anyway[node]
        )

    def open_hosts(self, graph: ReachGraph) -> list[Host]:
        """Return the hosts that others administer and on which nothing refuses members logon, though none was seen.

        What a member would leave there is nobody's yet; of a large estate these are most hosts.
        """
        if self._over is None:
            return []
        seen = {edge.holder for edge in graph.edges if edge.how == SEES}
        people = self._estate.catalogue.principals(self._estate.graph.expand(graph.group).people.tolist())
        sids = [one.sid for one in people.values() if one.sid and one.kind in _PEOPLE and one.enabled]
        led = self._administered([host for host in self._estate.hosts if host.id not in seen])
        return list(self._over.letting_any(led, sids))

    def _administrators(self, host: int) -> Sequence[int]:
        """Return who administers a host and does not rule the domain anyway; each is asked about once."""
        if host not in self._leading_on:
            self._leading_on[host] = self._found_administrators(host)
        return self._leading_on[host]

    def _administered(self, hosts: Sequence[Host]) -> Iterator[Host]:
        """Yield the hosts that somebody administers who does not rule the domain anyway."""
        if self._over is None:
            return
        administrators, graph = self._over.administrators, self._estate.graph
        leading = ~self._rule_anyway
        leading[graph.group_ids[~graph.security]] = False
        led = administrators.led_by_any(leading, by_everybody=True)
        yield from (host for host in hosts if host.id in administrators.rows and led[administrators.rows[host.id]])

    def _found_administrators(self, host: int) -> list[int]:
        if self._over is None:
            return []
        ids = self._over.administrators.of(host)
        found = set(ids[~self._rule_anyway[ids]].tolist())
        everybody = self._over.administrators.has_everybody(host)
        return sorted(found - self._like_everyone) + ([EVERYBODY] if everybody else [])

    @cached_property
    def _rule_anyway(self) -> NDArray[np.bool_]:
        """For each id whether somebody, or everybody in a group, rules the domain anyway: there may be two million."""
        graph, people = self._estate.graph, self._people_ruling
        found = people.copy()
        groups = graph.groups_holding(people) & ~graph.groups_holding(~people)
        found[graph.group_ids] = groups
        found[[i for i in self._ruling if i < len(found)]] = True
        return found

    def _members(self, principal: Principal) -> Iterator[Edge]:
        graph = self._estate.graph
        if not graph.grants_access(principal.id):
            return
        direct, primary = graph.direct_members(principal.id), graph.primary_members(principal.id)
        if self._hosts_passed and len(direct) + len(primary) > _MOST_IN_GROUP:
            self._leaves_out = True
            return
        for member in direct.tolist():
            yield Edge(EVERYBODY if member in self._like_everyone else member, principal.id, MEMBER)
        for member in primary.tolist():
            yield Edge(member, principal.id, PRIMARY)

    def _holders(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        for hold, holder in self._leading(self._held(principal, raw)):
            yield from self._edges(hold, holder, principal.id, principal, raw)

    def _leading(self, held: Sequence[Takeover]) -> Sequence[tuple[Takeover, int]]:
        """Return of what is held that of those who are there and do not rule anyway, with them."""
        # Thousands share a descriptor, and most of what stands in one is theirs who rule anyway.
        if id(held) not in self._lead:
            found = ((hold, self._holder_of(hold)) for hold in held)
            self._lead[id(held)] = held, [(hold, holder) for hold, holder in found if holder is not None]
        return self._lead[id(held)][1]

    def _holder_of(self, hold: Takeover) -> int | None:
        holder = self._estate.id_of_sid(hold.who)
        # The directory may have objects for Everyone and the like, and nobody stands in them: all are behind them.
        if hold.who in EVERYONE_LIKE and (holder is None or holder in self._like_everyone):
            holder = EVERYBODY
        return None if holder in self._ruling else holder

    def _held(self, principal: Principal, raw: bytes) -> Sequence[Takeover]:
        """Return what is held over an object, by its descriptor."""
        kept = tuple(principal.details.get("local_passwords", ())) if principal.kind == Kind.COMPUTER else ()
        key = (principal.kind, self._gives_access(principal), kept, raw)
        if key not in self._takeovers:
            found = self._reader.takeovers(principal.kind, Descriptor.from_bytes(raw), in_use=key[1], kept=kept)
            self._takeovers[key] = tuple(found)
        return self._takeovers[key]

    def _filtering(self, node: int, policy: Principal, raw: bytes | None) -> Iterator[Edge]:
        """Yield who may change whom a policy is for: whoever may change the rights over it."""
        if raw is not None:
            for hold, holder in self._leading(self._held(policy, raw)):
                if hold.how in (RIGHTS.sentence, OWNER.sentence, OWNS):
                    yield from self._edges(hold, holder, node, policy, raw)
            yield from (replace(edge, target=node) for edge in self._passages.container(policy, raw))

    def _linking(self, node: int, container: Principal, raw: bytes | None) -> Iterator[Edge]:
        """Yield who may link directory policies to a container; who rules it is told where it hands its rights on."""
        if raw is not None:
            asks = self._reader.questions(LINKING, container.kind)
            for hold in self._reader.by(LINKING, asks, Descriptor.from_bytes(raw)):
                yield from self._edges(hold, self._holder_of(hold), node, container, raw)

    def _edges(self, hold: Takeover, holder: int | None, node: int, principal: Principal, raw: bytes) -> Iterator[Edge]:
        if holder is None or holder == principal.id:
            return
        if self._estate.counts_at(hold.who, principal.dn) is None:
            return
        stands_on = self._origin(principal, hold.entry)
        if holder != EVERYBODY and not hold.from_inside:
            yield Edge(holder, node, hold.how, hold.entry, stands_on, hold.unless_denied)
            return
        for one in self._having_all(holder, principal, hold, raw):
            yield Edge(one, node, hold.how, hold.entry, stands_on)

    def _having_all(self, holder: int, principal: Principal, hold: Takeover, raw: bytes) -> list[int]:
        """Return everybody, or those people who have all that is asked, where some do not or only those inside do."""
        if not hold.unless_denied and not hold.from_inside:
            return [holder]
        allowed = self._everybody.allowed(principal, Asked(hold.how, hold.unless_denied), Descriptor.from_bytes(raw))
        if hold.from_inside:
            inside = np.zeros(len(allowed), bool)
            inside[self._estate.graph.expand(principal.id).people] = True
            allowed &= inside
        having = self._everybody.having(hold.who, principal) & self._everybody.people
        if holder == EVERYBODY and not (having & ~allowed).any():
            return [holder]
        return [int(i) for i in np.flatnonzero(having & allowed & ~self._people_ruling)]

    def _movers(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        for mover in self._moves.movers(principal, raw, in_use=self._gives_access(principal)):
            if mover.who != principal.id:
                yield Edge(mover.who, principal.id, MOVING, mover.entry, self._origin(mover.over, mover.entry))

    def _moving_together(self, principal: Principal, raw: bytes) -> Iterator[Edge]:
        """Yield who is both: somebody who may move an object, and somebody who has more where it goes."""
        for apart in self._moves.apart(principal, raw, in_use=self._gives_access(principal)):
            movers, takers = self._becoming(apart.movers), self._becoming(apart.takers)
            both = movers.keys() & takers.keys()
            # Whoever becomes one of these only by becoming another is told by that one.
            nearest = [i for i in both if {movers[i], takers[i]}.isdisjoint(both - {i})]
            names = self._estate.catalogue.principals({*apart.movers, *apart.takers})
            for who in sorted(nearest, key=lambda i: (i == EVERYBODY, i)):
                if who in self._ruling or (who >= 0 and self._rule_anyway[who]):
                    continue
                mover, taker = _end_of(movers, who), _end_of(takers, who)
                said = [f"as {names[mover].qualified_name}"] if mover != who else []
                theirs = f"{names[taker].qualified_name} has more" if taker != who else "more is theirs"
                words = " ".join([*said, f"to where {theirs}"])
                origin = self._origin(apart.over, apart.entry)
                yield Edge(who, principal.id, MOVING_AS, apart.entry, origin, evidence=words)

    def _becoming(self, ends: tuple[int, ...]) -> dict[int, int]:
        """Return who is one of these or becomes one, and by whom next; the end of a way stands for itself.

        Steps that a denial may close to some are not gone.
        """
        if ends not in self._become:
            found = {end: end for end in ends}
            level = list(ends)
            while level and len(found) < _MOST_BECOMING:
                self._load(objects_of(level))
                self._look_ahead(level)
                fresh = [edge for node in level for edge in self._steps_to(node) if not edge.doubt]
                level = list({edge.holder: None for edge in fresh if edge.holder not in found})
                found = {edge.holder: edge.target for edge in reversed(fresh)} | found
            self._become[ends] = found
        return self._become[ends]

    def _gives_access(self, principal: Principal) -> bool:
        return principal.kind != Kind.GROUP or self._estate.graph.grants_access(principal.id)

    def _origin(self, principal: Principal, entry: Ace | None) -> int:
        """Return on what an entry was given: the object, or the container it came from; neighbours share the answer."""
        if entry is None or not entry.inherited:
            return principal.id
        key = (parent_dn(principal.dn), given(entry))
        if key not in self._origins:
            self._origins[key] = giving_container(self._estate, principal.dn, {given(entry)})
        found = self._origins[key]
        return principal.id if found is None else found


def _end_of(steps: Mapping[int, int], start: int) -> int:
    """Return the end of a way."""
    while steps[start] != start:
        start = steps[start]
    return start


def ruling_ids(estate: Estate, of: Domain) -> frozenset[int]:
    """Return who controls a whole domain anyway: administrators, directory servers, and the system itself."""
    domain = replace(of, others=())
    sids = [*domain.built_in(RID_OF_ADMINISTRATORS), *domain.accounts(RID_DOMAIN_ADMINS, RID_ENTERPRISE_ADMINS)]
    sids += [*domain.accounts(RID_DIRECTORY_SERVERS), WELL_KNOWN["system"], WELL_KNOWN["enterprise-domain-controllers"]]
    ids = estate.ids_of_sids(sids)
    return frozenset(found for sid in sids if (found := ids[sid]) is not None)


def ruling_people(estate: Estate, over: Principal) -> set[int]:
    """Return the people who control the whole domain of an object: all inside one of the groups that do."""
    ruling = ruling_ids(estate, estate.domain.holding(over.dn))
    return {int(i) for i in np.flatnonzero(people_in_any(estate.graph, ruling))}
