"""What the guards look at: a proposal in its estate, and who wants to make it."""

from collections.abc import Callable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import field
from datetime import datetime
from functools import cached_property

from adzeguard.core.access.keepers import KeepersAtWork
from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.needs import NO_NEEDS, ApprovalNeeds
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.outlook import Outlook, outlook
from adzeguard.core.change.proposal import ReachImpact
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal
from adzeguard.core.limits import NOTHING_NAMED, USUAL_LIMITS, Limits, NamedSizes
from adzeguard.core.values import dataclass


@dataclass(frozen=True)
class Case:
    """The changes of a proposal. `operator` is the directory account of who makes them, where one is known."""

    estate: Estate
    changes: Sequence[Change]
    charter: ResolvedCharter
    limits: Limits = USUAL_LIMITS
    named: NamedSizes = NOTHING_NAMED
    operator: Principal | None = None
    reach_impacts: Sequence[ReachImpact] = ()
    """Who gains and who loses a way into the privileged groups, as the proposal was weighed."""
    privileged: AbstractSet[str] = frozenset()
    """The SIDs of the privileged groups."""
    taken_out: Mapping[str, int] = field(default_factory=dict)
    """How many members were taken out of each group in the last day, by its SID: what is done in steps is counted."""
    approval: ApprovalNeeds = NO_NEEDS
    approved_by: str = ""
    """Who said yes to it; the name was checked before."""
    ending: Sequence[Change] = ()
    """What ends in time: the removal of each membership that a lease gives, here or in a rule. Nobody leans on it."""
    comes_in_by: Mapping[str, str] = field(default_factory=dict)
    """By source of hosts, the account of each host's own by which we come to it."""
    seen_deleted: AbstractSet[str] = frozenset()
    """The SIDs that were seen deleted, by the directory or by us."""
    important: Sequence[Principal] = ()
    """Privileged groups and keepers: what another name must not be taken for."""
    now: datetime | None = None
    """Since when accounts have expired; when the estate was collected where nobody says."""
    made_before: Callable[[], Sequence[Change]] = tuple
    """Gives what the journal says that was made: a file can say of anything that it undoes something."""

    @cached_property
    def after(self) -> Outlook:
        """What will stand, computed once for all guards."""
        return outlook(self.estate, self.changes)

    @cached_property
    def lasting(self) -> Outlook:
        """What will stand without what ends in time: then it asks no guard, and nobody may lean on it."""
        lasting = [change for change in self.changes if not isinstance(change, AddEndingMember)]
        same = len(lasting) == len(self.changes) and not self.ending
        return self.after if same else outlook(self.estate, [*lasting, *self.ending])

    @cached_property
    def before(self) -> Outlook:
        """What stands now, without what ends in time."""
        return outlook(self.estate, self.ending)

    @cached_property
    def keepers_before(self) -> KeepersAtWork:
        """The keepers who can act now, and can go on."""
        return KeepersAtWork(self.estate, self.charter.keepers, self._now, self.before.graph)

    @cached_property
    def keepers_after(self) -> KeepersAtWork:
        """The keepers who will be able to act."""
        then, gone, altered = self.lasting, self.after.gone, self.after.altered
        if then.graph is self.before.graph and not gone and not altered:
            return self.keepers_before  # a proposal about hosts alone: to find them again takes as long as all else
        return KeepersAtWork(self.estate, self.charter.keepers, self._now, then.graph, gone, altered)

    @property
    def _now(self) -> datetime:
        return self.now or self.estate.taken_at
