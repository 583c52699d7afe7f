"""What checks look at."""

from collections.abc import Mapping, Sequence
from dataclasses import field
from datetime import datetime, timedelta

from adzeguard.core.change.change import Change
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.time.lease import Lease
from adzeguard.core.time.question import Waiver
from adzeguard.core.trail.privileged_events import Seen
from adzeguard.core.values import dataclass

USUAL_WAIT = 14


@dataclass(frozen=True)
class CheckInput:
    """The estate with its rights, the charter, the privileged groups, and what rules have put in."""

    rights: Rights
    charter: ResolvedCharter
    privileged: Sequence[Principal] = ()
    put_in: Sequence[Change] = ()
    waiting_days: int = USUAL_WAIT
    """How long a host may wait in a holding OU."""
    unread_days: int = USUAL_WAIT
    """For how long a host may not answer."""
    read_at: Mapping[int, datetime] = field(default_factory=dict)
    """By the ids of hosts when each answered last."""
    leases: Sequence[Lease] = ()
    waivers: Sequence[Waiver] = ()
    seen: Seen = field(default_factory=Seen)
    """What the trail tells of the last days."""
    now: datetime | None = None
    longest_lease: timedelta = timedelta.max
    carried: Sequence[tuple[Named, Named]] = ()
    """Groups, and who carries each in its token though the group does not list it."""

    @property
    def moment(self) -> datetime:
        """Now, or when the estate was collected where nobody says."""
        return self.now or self.estate.taken_at

    @property
    def estate(self) -> Estate:
        """The estate."""
        return self.rights.estate
