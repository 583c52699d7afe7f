"""What the rules that hold together demand of one group, and where its members deviate.

The closest `only` wins; includes are added, excludes taken away, keepers stay. See the charter reference.
"""

from collections.abc import Callable, Iterable, Mapping
from collections.abc import Set as AbstractSet
from dataclasses import field

from adzeguard.core.charter.membership import ResolvedMembership
from adzeguard.core.charter.references import MemberKey, Reference
from adzeguard.core.charter.scopes import MemberRule
from adzeguard.core.values import dataclass

Keys = Callable[[Iterable[Reference]], AbstractSet[MemberKey]]
"""Turns references into what members are compared by; it depends on the host for names that are local to one."""


@dataclass(frozen=True, slots=True)
class Conflict:
    """Rules at the same distance that cannot all be followed; nothing is changed where they meet."""

    rules: tuple[ResolvedMembership, ...]
    message: str
    """With a place for the name of the member, if it is about one."""
    member: MemberKey = ""


@dataclass(frozen=True)
class Demand:
    """What is demanded of the members of one group."""

    wanted: Mapping[MemberKey, MemberRule] = field(default_factory=dict)
    unwanted: Mapping[MemberKey, MemberRule] = field(default_factory=dict)
    only: MemberRule | None = None
    refuses_nested: MemberRule | None = None
    conflicts: tuple[Conflict, ...] = ()


@dataclass(frozen=True, slots=True)
class Deviation:
    """One member too many or too few. `kind` is unlisted, excluded, missing, nested or keeper."""

    kind: str
    member: MemberKey
    because: MemberRule
    otherwise: str = ""
    """Of a keeper: what would be said of anybody else."""


@dataclass(frozen=True)
class Demands:
    """What the rules that mend demand by themselves, and what all rules demand together.

    What only tells neither shadows nor changes what is mended, from any distance: it is told about the state that
    mending leads to.
    """

    mending: Demand = field(default_factory=Demand)
    together: Demand = field(default_factory=Demand)

    @property
    def conflicts(self) -> tuple[Conflict, ...]:
        """Each conflict once; where rules that mend contradict each other, nothing is mended."""
        also = [c for c in self.together.conflicts if c not in self.mending.conflicts]
        return (*self.mending.conflicts, *also)

    @property
    def refuses_nested(self) -> bool:
        """Whether it must be known which members are groups."""
        return self.mending.refuses_nested is not None or self.together.refuses_nested is not None

    def wants(self, member: MemberKey) -> bool:
        """Tell whether a rule asks for a member, whether it mends or tells."""
        return member in self.mending.wanted or member in self.together.wanted

    def deviations(
        self, members: AbstractSet[MemberKey], keepers: AbstractSet[MemberKey], groups: AbstractSet[MemberKey]
    ) -> list[Deviation]:
        """Compare the direct members of a group with what is demanded. `groups` are those members that are groups."""
        mended = deviations(self.mending, members, keepers, groups)
        if self.together is self.mending:
            return mended
        after = set(members) | {d.member for d in mended if d.kind == "missing"}
        after -= {d.member for d in mended if d.kind in ("unlisted", "excluded")}
        then = deviations(self.together, after, keepers, groups)
        told = [d for d in then if d.because.rule.response != "mend"]
        return sorted([*mended, *told], key=lambda d: (d.kind, d.member))


def demands_from(rules: Iterable[MemberRule], keys: Keys) -> Demands:
    """Join all rules that hold for one group: those that mend by themselves, and all of them."""
    rules = list(rules)
    that_mend = [scoped for scoped in rules if scoped.rule.response == "mend"]
    mending = demand_of(that_mend, keys)
    return Demands(mending, mending if len(that_mend) == len(rules) else demand_of(rules, keys))


def demand_of(rules: Iterable[MemberRule], keys: Keys) -> Demand:
    """Join all rules that hold for one group."""
    ordered = sorted(rules, key=_closest_and_firmest_first)
    only, conflict = _deciding_only(ordered, keys)
    if conflict:
        return Demand(conflicts=(conflict,))
    included = _first_by_key(ordered, lambda rule: keys(rule.include))
    excluded = _first_by_key(ordered, lambda rule: keys(rule.exclude))
    conflicts = tuple(
        Conflict((included[key].rule, excluded[key].rule), "one includes and the other excludes {}", key)
        for key in sorted(included.keys() & excluded.keys())
        if included[key].distance == excluded[key].distance
    )
    if conflicts:
        return Demand(conflicts=conflicts)
    listed = dict.fromkeys(keys(only.rule.only or ()), only) if only else {}
    wanted = {key: rule for key, rule in {**listed, **included}.items() if key not in excluded}
    refuses = next((h for h in ordered if h.rule.rule.nested == "refuse"), None)
    return Demand(wanted, excluded, only, refuses)


def _closest_and_firmest_first(scoped: MemberRule) -> tuple[int, bool]:
    """Of two rules that say the same from the same distance, the one that mends answers for it."""
    return scoped.distance, scoped.rule.response != "mend"


def _deciding_only(ordered: list[MemberRule], keys: Keys) -> tuple[MemberRule | None, Conflict | None]:
    closed = [h for h in ordered if h.rule.only is not None]
    if not closed:
        return None, None
    closest = [h for h in closed if h.distance == closed[0].distance]
    lists = {frozenset(keys(h.rule.only or ())) for h in closest}
    if len(lists) > 1:
        return None, Conflict(
            tuple(h.rule for h in closest), "each says only, from the same distance, with another list"
        )
    return closed[0], None


def _first_by_key(
    ordered: list[MemberRule], keys_of: Callable[[ResolvedMembership], AbstractSet[MemberKey]]
) -> dict[MemberKey, MemberRule]:
    first: dict[MemberKey, MemberRule] = {}
    for scoped in ordered:
        for key in keys_of(scoped.rule):
            first.setdefault(key, scoped)
    return first


def deviations(
    demand: Demand, members: AbstractSet[MemberKey], keepers: AbstractSet[MemberKey], groups: AbstractSet[MemberKey]
) -> list[Deviation]:
    """Compare the direct members of a group with what is demanded. `groups` are those members that are groups."""
    deviating = [Deviation("missing", key, rule) for key, rule in demand.wanted.items() if key not in members]
    for key in members:
        too_many = _too_many(demand, key)
        if too_many is not None and key in keepers:
            deviating.append(Deviation("keeper", key, too_many.because, otherwise=too_many.kind))
        elif too_many is not None:
            deviating.append(too_many)
        elif demand.refuses_nested and key in groups:
            deviating.append(Deviation("nested", key, demand.refuses_nested))
    return sorted(deviating, key=lambda d: (d.kind, d.member))


def _too_many(demand: Demand, key: MemberKey) -> Deviation | None:
    if key in demand.unwanted:
        return Deviation("excluded", key, demand.unwanted[key])
    if demand.only is not None and key not in demand.wanted:
        return Deviation("unlisted", key, demand.only)
    return None
