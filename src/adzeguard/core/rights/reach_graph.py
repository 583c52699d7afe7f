"""What leads to a group: edges from holder to target, and the shortest way from everybody behind it."""

from collections.abc import Iterable
from dataclasses import field
from typing import Final

from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.rights.evaluate import Question
from adzeguard.core.rights.ways import BY_ATTRIBUTE, MEMBER, OVER_HOSTS, PRIMARY
from adzeguard.core.values import dataclass

EVERYBODY: Final = -2
"""Stands for everybody, where a right is given to a principal that everybody acts as."""
_FIRST_BESIDE: Final = -10


@dataclass(frozen=True, slots=True)
class Edge:
    """`holder` leads to `target`. A grant says over which object its entry really stands."""

    holder: int
    target: int
    how: str
    entry: Ace | None = None
    stands_on: int = -1
    doubt: tuple[Question, ...] = ()
    """What is to be asked of those who take this step, since a denial may meet them or one entry does not give all."""
    evidence: str = ""
    """What is known of it beside that it is so, such as when somebody logged on."""
    proof: int = 0
    """How well it is proved, 0 being the best."""

    @property
    def can_be_closed(self) -> bool:
        """Whether something can be taken away so that it is not there any more."""
        return self.entry is not None or self.is_membership or self.how in OVER_HOSTS | BY_ATTRIBUTE

    @property
    def is_membership(self) -> bool:
        """Whether it is a membership."""
        return self.how in (MEMBER, PRIMARY)


@dataclass
class ReachGraph:
    """All edges that lead to a group, and the shortest way from everybody behind it."""

    group: int
    edges: list[Edge] = field(default_factory=list)
    onward: dict[int, Edge] = field(default_factory=dict)
    """From each object behind the group, the next edge of its shortest way."""
    instead: dict[int, tuple[Edge, ...]] = field(default_factory=dict)
    """The ways of those to whom the shortest one is closed."""
    is_cut_short: bool = False
    """Whether more leads there than was looked at."""
    closed_to: set[int] = field(default_factory=set)
    """Those behind the group to whom every way is closed, by denials."""

    def behind(self) -> set[int]:
        """Return everything that leads to the group."""
        return set(self.onward) - self.closed_to

    def first(self, start: int) -> Edge:
        """Return the first edge of the shortest way from an object to the group."""
        return self.instead[start][0] if start in self.instead else self.onward[start]

    def chain(self, start: int) -> list[Edge]:
        """Return the shortest way from an object to the group."""
        if start in self.instead:
            return list(self.instead[start])
        found: list[Edge] = []
        while start != self.group:
            edge = self.onward[start]
            found.append(edge)
            start = edge.target
        return found

    def objects(self) -> set[int]:
        """Return the objects that edges lead from, to, and stand on."""
        return objects_of(i for edge in self.edges for i in (edge.holder, edge.target, edge.stands_on))


def beside(one: int) -> int:
    """Return what stands for a part of an object, by which less is had than by all of it.

    Of a container its policies: linking some reaches the accounts in it, no groups. Of a policy whom it is for.
    """
    return _FIRST_BESIDE - one


def object_of(node: int) -> int:
    """Return the object that something in the graph is about; below zero for none."""
    return _FIRST_BESIDE - node if node <= _FIRST_BESIDE else node


def objects_of(nodes: Iterable[int]) -> set[int]:
    """Return the objects that these are about."""
    return {found for node in nodes if (found := object_of(node)) >= 0}
