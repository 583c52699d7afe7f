"""The estate as it will be after a proposal: the membership graph and each host's administrators."""

from collections.abc import Iterable, Mapping
from dataclasses import field

from adzeguard.core.access.at_work import Values
from adzeguard.core.change.change import Change, Effects
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.membership import DirectChange, MembershipGraph
from adzeguard.core.identity import Sid
from adzeguard.core.values import dataclass


@dataclass(frozen=True)
class Outlook:
    """What stands after a proposal."""

    graph: MembershipGraph
    changed_groups: frozenset[int]
    administrators: tuple[frozenset[Sid], ...]
    """For each host of the estate, the direct members of its administrators group after the proposal."""
    gone: frozenset[int] = frozenset()
    """The objects that are deleted or disabled, however they were inside."""
    altered: Mapping[int, Values] = field(default_factory=dict)
    """By id what attributes of objects will hold."""


def outlook(estate: Estate, changes: Iterable[Change]) -> Outlook:
    """Compute what will stand. Names that stand for nothing any more are left out; enact will call them conflicts."""
    effects = Effects(estate)
    for change in changes:
        change.foresee(effects)
    effects.settle()
    changed = effects.gained.keys() | effects.lost.keys() | effects.security.keys()
    after = {g: DirectChange(frozenset(effects.gained[g]), frozenset(effects.lost[g])) for g in changed}
    graph = estate.graph.with_changes(after) if after else estate.graph
    graph = graph.with_security(effects.security) if effects.security else graph
    return Outlook(graph, frozenset(changed), _administrators(estate, effects), frozenset(effects.gone), effects.values)


def _administrators(estate: Estate, effects: Effects) -> tuple[frozenset[Sid], ...]:
    found = list(estate.host_administrators)
    for name in effects.host_gained.keys() | effects.host_lost.keys():
        for place in estate.places_of_hosts.get(name, ()):
            found[place] = (found[place] | effects.host_gained.get(name, frozenset())) - effects.host_lost.get(
                name, frozenset()
            )
    if effects.deleted:
        found = [members - effects.deleted if members & effects.deleted else members for members in found]
    return tuple(found)
