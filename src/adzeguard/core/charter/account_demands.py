"""What rules about accounts want, as the directory holds it."""

from datetime import timedelta
from zoneinfo import ZoneInfo

from adzeguard.core.charter.account_rule import ResolvedAccountRule
from adzeguard.core.charter.host_scope import ResolvedScope
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.logon_hours import to_utc, value_of
from adzeguard.core.values import dataclass


class HostsOf:
    """The hosts in the scope of a rule, each rule looked up once."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._known: dict[str, tuple[str, ...]] = {}

    def of(self, rule: ResolvedAccountRule) -> tuple[str, ...] | None:
        """Return their names in order; None if the rule says nothing of hosts."""
        if rule.hosts is None:
            return None
        if rule.id not in self._known:
            scopes = HostScopes([_Hosts(rule.id, rule.hosts)])
            self._known[rule.id] = tuple(sorted(host.name for host in self._estate.hosts if scopes.on(host)))
        return self._known[rule.id]


@dataclass(frozen=True, slots=True)
class _Hosts:
    id: str
    scope: ResolvedScope


class HoursAt:
    """The hours of a rule as the directory holds them, with the offset of its time zone on the day of the estate."""

    def __init__(self, estate: Estate) -> None:
        self._moment = estate.taken_at

    def offset(self, rule: ResolvedAccountRule) -> timedelta:
        """Return how far its time zone is from UTC: clocks that were changed make another value of the same times."""
        return self._moment.astimezone(ZoneInfo(rule.zone)).utcoffset() or timedelta()

    def of(self, rule: ResolvedAccountRule) -> bytes | None:
        """Return the value; None if the rule says nothing of hours."""
        return value_of(to_utc(rule.hours, self.offset(rule))) if rule.hours is not None else None
