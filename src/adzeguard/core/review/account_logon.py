"""Where and when accounts may log on, held against the rules about them."""

from collections.abc import Iterable, Iterator
from typing import Final

from adzeguard.core.change.kinds.object_change import AttributeChange
from adzeguard.core.change.kinds.set_attributes import SetAttributes
from adzeguard.core.charter.account_demands import HostsOf, HoursAt
from adzeguard.core.charter.account_scopes import Scoped
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.estate.logon_hours import hours_in_words
from adzeguard.core.estate.logon_limits import hosts_listed, hours_value
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.on_accounts import accounts_with_rules, contradiction_on, of_rule, on_account, unless_keeper
from adzeguard.core.review.on_hosts import decisions
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.wording import some_of

WORKSTATIONS: Final = "userWorkstations"
HOURS: Final = "logonHours"
_MOST_OF_HOSTS: Final = 1024
"""Characters that userWorkstations holds ([MS-ADA3] 2.354, rangeUpper)."""


def review_logon_places(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each account that may log on to other hosts than the closest rule lets."""
    estate = rights.estate
    hosts = HostsOf(estate)
    for account, rules in accounts_with_rules(estate, charter):
        stands = hosts_listed(account)
        for decision in decisions(rules, hosts.of):
            if decision.conflict:
                yield contradiction_on(account, decision.conflict, "each lets it log on to other hosts")
            wanted = decision.value
            if decision.by is None or wanted is None or (wanted and _folded(wanted) == _folded(stands)):
                continue
            said = f"it may log on to {some_of(stands)}" if stands else "it may log on to any host"
            only = f"to {some_of(wanted)} alone" if wanted else "to the hosts of the rule alone"
            correction = on_account(decision.by, "logs-on-elsewhere", account, f"{said}, and not {only}")
            if not wanted:
                yield correction.without_changes("no host is in its scope, and an empty list lets it log on anywhere")
            elif len(",".join(wanted)) > _MOST_OF_HOSTS:
                yield correction.without_changes(f"{len(wanted)} hosts are more than the directory can list")
            else:
                before = str(account.details.get("workstations", "")).encode()
                change = _setting(account, WORKSTATIONS, before, ",".join(wanted).encode(), decision.by)
                yield unless_keeper(charter, correction, change)


def review_logon_hours(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each account that may log on at other hours than the closest rule lets."""
    estate = rights.estate
    wanting = HoursAt(estate)
    for account, rules in accounts_with_rules(estate, charter):
        stands = hours_value(account)
        for decision in decisions(rules, wanting.of):
            if decision.conflict:
                yield contradiction_on(account, decision.conflict, "each lets it log on at other hours")
            if decision.by is None or decision.value is None or decision.value == stands:
                continue
            offset = wanting.offset(decision.by.rule)
            now = hours_in_words(stands, offset) if stands else "at any hour"
            said = f"it may log on {now}, and not {hours_in_words(decision.value, offset)} alone"
            correction = on_account(decision.by, "logs-on-any-time", account, said)
            change = _setting(account, HOURS, stands, decision.value, decision.by)
            yield unless_keeper(charter, correction, change)


def _folded(names: Iterable[str]) -> set[str]:
    return {name.strip().casefold() for name in names}


def _setting(account: Principal, name: str, before: bytes, after: bytes, scoped: Scoped) -> SetAttributes:
    attribute = AttributeChange(name=name, before=(before,) if before else (), after=(after,))
    return SetAttributes(object=Named.of(account), attributes=(attribute,), **of_rule(scoped))
