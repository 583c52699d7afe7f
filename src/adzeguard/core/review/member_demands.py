"""What all rules together demand of each group, computed once for the review and for withdrawal."""

from collections.abc import Iterable, Iterator
from collections.abc import Set as AbstractSet

from adzeguard.core.charter.group_rule import ResolvedGroupRule
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.references import LocalName, MemberKey, Reference, member_key
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.scopes import NAMED, HostScopes, MemberRule, ScopedRule
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.demands import Demands, Keys, demands_from


class MemberDemands:
    """The demands of one charter."""

    def __init__(self, charter: ResolvedCharter) -> None:
        self._by_group: dict[int, list[MemberRule]] = {}
        self._groups: dict[int, Principal] = {}
        for rule in charter.of(ResolvedGroupRule):
            self._groups[rule.group.id] = rule.group
            self._by_group.setdefault(rule.group.id, []).append(ScopedRule(rule, NAMED, "the group by name"))
        self.scopes = HostScopes(charter.of(ResolvedLocalGroupRule))
        self.lists = References()
        self.keepers = frozenset(member_key(keeper) for keeper in charter.keepers)

    @property
    def uses_local_names(self) -> bool:
        """Whether any rule names an account or group of a host's own."""
        rules = self.scopes.rules
        return any(rule.local_names or isinstance(rule.local_group, LocalName) for rule in rules)

    def on_groups(self) -> Iterator[tuple[Principal, Demands]]:
        """Yield each directory group that a rule names, with what is demanded of it."""
        for group_id, group in self._groups.items():
            yield group, self.on_group(group_id)

    def on_group(self, group_id: int) -> Demands:
        """Return what is demanded of a directory group."""
        return demands_from(self._by_group.get(group_id, ()), directory_keys)

    def on_host(self, host: Host) -> Iterator[tuple[Sid, Demands]]:
        """Yield each local group of a host that a rule names, with what is demanded of it."""
        if host.state is not None:
            yield from demands_of(host.state, followed_on(host.state, self.scopes.on(host)), self.lists)


def followed_on(
    state: HostState, rules: Iterable[ScopedRule[ResolvedLocalGroupRule]]
) -> list[ScopedRule[ResolvedLocalGroupRule]]:
    """Return the rules that can be followed on a host: it knows every name of its own that they use."""
    return [scoped for scoped in rules if not scoped.rule.unknown_on(state)]


_Split = tuple[frozenset[MemberKey], tuple[LocalName, ...]]


class References:
    """What lists of references come to on any host, and what only a host can say; each list is taken apart once."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Iterable[Reference], _Split]] = {}

    def split(self, references: Iterable[Reference]) -> _Split:
        """Return the keys that are the same everywhere, and the names of accounts and groups of a host's own."""
        # Known by the list itself, which is kept with it: rules live as long as their charter.
        if id(references) not in self._known:
            everywhere = frozenset(member_key(r) for r in references if isinstance(r, Principal))
            local = tuple(r for r in references if isinstance(r, LocalName))
            self._known[id(references)] = references, (everywhere, local)
        return self._known[id(references)][1]


def demands_of(
    state: HostState, rules: Iterable[ScopedRule[ResolvedLocalGroupRule]], lists: References | None = None
) -> Iterator[tuple[Sid, Demands]]:
    """Yield what these rules demand of the local groups of one host."""
    by_group: dict[Sid, list[MemberRule]] = {}
    for scoped in rules:
        group = scoped.rule.group_on(state)
        if group is not None:
            by_group.setdefault(group.sid, []).append(scoped)
    keys = host_keys(state, lists)
    for sid, of_group in by_group.items():
        yield sid, demands_from(of_group, keys)


def host_keys(state: HostState, lists: References | None = None) -> Keys:
    """Return how references become what the members of one host's groups are compared by."""
    lists = lists or References()

    def keys(references: Iterable[Reference]) -> AbstractSet[MemberKey]:
        everywhere, local = lists.split(references)
        here = {sid for name in local if (sid := name.on(state)) is not None}
        return everywhere | here if here else everywhere

    return keys


def directory_keys(references: Iterable[Reference]) -> set[MemberKey]:
    """Return what the members of directory groups are compared by."""
    return {member_key(reference) for reference in references if isinstance(reference, Principal)}
