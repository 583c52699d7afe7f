"""Who could make themselves a member of a privileged group after a proposal, and could not before."""

from collections.abc import Iterator, Sequence

from adzeguard.core.change.change import Change
from adzeguard.core.change.foreseen import foreseen_rights
from adzeguard.core.change.impact import impact_of
from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.change.kinds.membership import MembershipChange
from adzeguard.core.change.kinds.move_object import MoveObject
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.change.outlook import Outlook, outlook
from adzeguard.core.change.proposal import Impact, ReachImpact
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import id_of
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.reach import ReachFinder
from adzeguard.core.rights.reach_graph import EVERYBODY
from adzeguard.core.rights.reach_words import PEOPLE
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import EVERYONE_LIKE

_EVERYBODY_CALLED = "everybody"


@dataclass(frozen=True, slots=True)
class Privilege:
    """What privilege is here: the groups that give it, and the rights by which somebody could get into them."""

    rights: Rights
    groups: Sequence[Principal]

    @property
    def sids(self) -> frozenset[str]:
        """The SIDs of the groups."""
        return frozenset(group.sid for group in self.groups if group.sid)


def weighed(privilege: Privilege, changes: Sequence[Change]) -> Impact:
    """Return what changes come to: effective access, and ways into the privileged groups."""
    after = outlook(privilege.rights.estate, changes)
    impact = impact_of(privilege.rights.estate, changes, after)
    return impact.model_copy(update={"reach": tuple(_reach_impacts(privilege, changes, after))})


def _reach_impacts(privilege: Privilege, changes: Sequence[Change], foreseen: Outlook) -> Iterator[ReachImpact]:
    """Yield for each privileged group who gains and who loses reach: people who are, or could make themselves, members.

    Whom the proposal itself puts into the group, or into another privileged one inside it, is left out: that is said
    already.
    """
    if not any(_leads_somewhere(change) for change in changes):
        return
    rights = privilege.rights
    after = foreseen_rights(rights, changes, foreseen)
    finder, then = ReachFinder(rights), ReachFinder(after)
    added = _named_members(privilege, changes)
    inside = {g.id: {g.id, *rights.estate.graph.expand(g.id).groups.tolist()} for g in privilege.groups}
    for group in privilege.groups:
        before, later = finder.graph(group.id).behind(), then.graph(group.id).behind()
        named = {i for inner in inside[group.id] for i in added.get(inner, ())}
        gains = _people(rights.estate, later - before - named)
        loses = _people(rights.estate, before - later)
        if gains or loses:
            yield ReachImpact(group=group.qualified_name, gains=gains, loses=loses)


def _leads_somewhere(change: Change) -> bool:
    in_directory = isinstance(change, MembershipChange) and not change.host_name
    return in_directory or isinstance(change, ChangeRights | MoveObject | SetAttributes)


def _named_members(privilege: Privilege, changes: Sequence[Change]) -> dict[int, set[int]]:
    """Return, by privileged group, whom the changes put into it in so many words."""
    estate = privilege.rights.estate
    added: dict[int, set[int]] = {group.id: set() for group in privilege.groups}
    for change in changes:
        if isinstance(change, AddMember):
            group, member = (id_of(estate, named) for named in (change.group, change.member))
            if group in added and member is not None:
                added[group].add(member)
    return added


def _people(estate: Estate, ids: set[int]) -> tuple[str, ...]:
    listed = estate.catalogue.principals(i for i in ids if i >= 0).values()
    names = sorted((p.qualified_name for p in listed if p.kind in PEOPLE), key=str.casefold)
    return (*((_EVERYBODY_CALLED,) if EVERYBODY in ids else ()), *names)


def gives_to_everybody(changes: Sequence[Change]) -> Iterator[Change]:
    """Yield each change that gives something to a principal that everybody acts as."""
    for change in changes:
        given = isinstance(change, ChangeRights) and any(
            entry.sid in EVERYONE_LIKE and not entry.denies for entry in change.gives
        )
        put_in = (
            isinstance(change, MembershipChange) and not change.removes_member and change.member.sid in EVERYONE_LIKE
        )
        if given or put_in:
            yield change


def newly_reaching(estate: Estate, impacts: Sequence[ReachImpact], changes: Sequence[Change]) -> int:
    """Return how many people get a new way into a privileged group, or something that everybody gets."""
    gaining = {name for impact in impacts for name in impact.gains}
    if _EVERYBODY_CALLED in gaining or any(gives_to_everybody(changes)):
        return estate.catalogue.count_of(Kind.USER)
    return len(gaining)
