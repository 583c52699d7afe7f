"""Where and when accounts may log on, held against the rules about them."""

from collections.abc import Callable, Iterable, Sequence
from typing import Any, Final

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.object_change import AttributeChange, values_of
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.account_demands import HostsOf, HoursAt
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.logon_hours import hours_in_words
from adzeguard.core.estate.logon_limits import hosts_listed, hours_value
from adzeguard.core.review.account_settings import AccountDeviation, AccountSetting, kind_of_accounts
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.on_hosts import decisions
from adzeguard.core.review.settings import Decided
from adzeguard.core.wording import some_of

WORKSTATIONS: Final = "userWorkstations"
HOURS: Final = "logonHours"
_MOST_OF_HOSTS: Final = 1024
"""Characters that userWorkstations holds ([MS-ADA3] 2.354, rangeUpper)."""


def _places_wanted(estate: Estate) -> Callable[[Sequence[Scoped]], Decided]:
    hosts = HostsOf(estate)
    return lambda rules: {WORKSTATIONS: decisions(rules, hosts.of)}


def _elsewhere(_estate: Estate) -> Callable[[AccountDeviation], Correction]:
    def said(one: AccountDeviation) -> Correction:
        now = f"it may log on to {some_of(one.stands)}" if one.stands else "it may log on to any host"
        only = f"to {some_of(one.wanted)} alone" if one.wanted else "to the hosts of the rule alone"
        correction = one.correction("logs-on-elsewhere", f"{now}, and not {only}")
        if not one.wanted:
            return correction.without_changes("no host is in its scope, and an empty list lets it log on anywhere")
        if len(",".join(one.wanted)) > _MOST_OF_HOSTS:
            return correction.without_changes(f"{len(one.wanted)} hosts are more than the directory can list")
        before = str(one.account.details.get("workstations", "")).encode()
        return one.unless_keeper(correction, _setting(one, before, ",".join(one.wanted).encode()))

    return said


LOGON_PLACES: Final = AccountSetting(
    _places_wanted,
    lambda account: {WORKSTATIONS: hosts_listed(account)},
    _elsewhere,
    lambda change: _set_by(change, WORKSTATIONS, lambda value: tuple(value.decode("utf-8", "replace").split(","))),
    "each lets it log on to other hosts",
    # An empty list would let it log on anywhere: it is no answer to a rule whose scope holds no host.
    lambda stands, wanted: bool(wanted) and _folded(stands) == _folded(wanted),
)


def _hours_wanted(estate: Estate) -> Callable[[Sequence[Scoped]], Decided]:
    hours = HoursAt(estate)
    return lambda rules: {HOURS: decisions(rules, hours.of)}


def _any_time(estate: Estate) -> Callable[[AccountDeviation], Correction]:
    hours = HoursAt(estate)

    def said(one: AccountDeviation) -> Correction:
        offset = hours.offset(one.scoped.rule)
        now = hours_in_words(one.stands, offset) if one.stands else "at any hour"
        only = f"not {hours_in_words(one.wanted, offset)} alone" if any(one.wanted) else "is to log on never"
        correction = one.correction("logs-on-any-time", f"it may log on {now}, and {only}")
        return one.unless_keeper(correction, _setting(one, one.stands, one.wanted))

    return said


LOGON_HOURS: Final = AccountSetting(
    _hours_wanted,
    lambda account: {HOURS: hours_value(account)},
    _any_time,
    lambda change: _set_by(change, HOURS, bytes),
    "each lets it log on at other hours",
)


def _folded(names: Iterable[str]) -> set[str]:
    return {name.strip().casefold() for name in names}


def _setting(one: AccountDeviation, before: bytes, after: bytes) -> SetAttributes:
    attribute = AttributeChange(name=one.fact, before=(before,) if before else (), after=(after,))
    return SetAttributes(attributes=(attribute,), **one.of_rule())


def _set_by(change: Change, name: str, read: Callable[[bytes], Any]) -> tuple[str, Any] | None:
    values = values_of(change.attributes, name) if isinstance(change, SetAttributes) else ()
    return (name, read(values[0])) if values else None


LOGON_ONLY_ON: Final = kind_of_accounts("logon-only-on", LOGON_PLACES)
LOGON_AT_HOURS: Final = kind_of_accounts("logon-hours", LOGON_HOURS)
