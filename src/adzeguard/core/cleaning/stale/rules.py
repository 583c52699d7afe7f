"""Rules of the charter that do nothing any more."""

from collections.abc import Iterator
from datetime import datetime, time

from adzeguard.core.charter.account_scope import ResolvedAccounts
from adzeguard.core.charter.account_scopes import accounts_of
from adzeguard.core.charter.host_scope import ResolvedScope
from adzeguard.core.charter.local_group_rule import ResolvedLocalGroupRule
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.rule import Resolved, RuleBase
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.cleaning.stale.found import Stale, StaleInput
from adzeguard.core.estate.estate import Estate
from adzeguard.core.review.member_demands import MemberDemands
from adzeguard.core.values import dataclass


def stale_rules(looked: StaleInput) -> Iterator[Stale]:
    """Yield rules that are switched off, past their last day, about nothing, or overruled wherever they reach."""
    charter = looked.charter
    if charter is None:
        return
    today = looked.now.astimezone().date()
    for rule in charter.charter.rules:
        if not rule.enabled:
            yield _of(rule, "off", "it is switched off")
        elif rule.until is not None and rule.until < today:
            ended = datetime.combine(rule.until, time(23, 59), looked.now.astimezone().tzinfo)
            yield _of(rule, "past", f"its last day was {rule.until:%Y-%m-%d}", ended)
    overruled = _overruled(looked.estate, charter)
    for resolved in charter.rules:
        about_nothing = _about_nothing(looked.estate, resolved)
        if about_nothing:
            yield _of(resolved.rule, "about-nothing", about_nothing)
        elif resolved.id in overruled:
            yield _of(resolved.rule, "no-effect", "it decides nothing on any host that it reaches")


def _of(rule: RuleBase, sort: str, why: str, since: datetime | None = None) -> Stale:
    return Stale(sort, f"{why} ({rule.place.at()})", rule.id, since)


def _about_nothing(estate: Estate, rule: Resolved) -> str:
    """Say that none of a rule's scopes holds anything; empty where one does, or where it has none."""
    scopes = [scope for key in ("scope", "of_hosts", "accounts") if (scope := getattr(rule, key, None)) is not None]
    words = [_empty(estate, scope) for scope in scopes]
    return " and ".join(word for word in words if word) if words and all(words) else ""


def _empty(estate: Estate, scope: object) -> str:
    if isinstance(scope, ResolvedAccounts):
        return "" if accounts_of(estate, scope) else "no account is in its scope"
    if isinstance(scope, ResolvedScope):
        reaches = HostScopes([_Reach(scope)])
        return "" if any(reaches.on(host) for host in estate.hosts) else "no host is in its scope"
    return ""


@dataclass(frozen=True, slots=True)
class _Reach:
    """A scope alone, as one of the things that are found on hosts."""

    scope: ResolvedScope
    id: str = ""


def _overruled(estate: Estate, charter: ResolvedCharter) -> set[str]:
    """Return the ids of `only` rules over local groups that decide nothing on any host that answered."""
    reached: set[str] = set()
    deciding: set[str] = set()
    demands = MemberDemands(charter)
    for host in estate.hosts if charter.of(ResolvedLocalGroupRule) else ():
        if host.state is None:
            continue
        reached |= {scoped.rule.id for scoped in demands.scopes.on(host) if scoped.rule.only is not None}
        for _, of_group in demands.on_host(host):
            for demand in (of_group.mending, of_group.together):
                deciding |= {demand.only.rule.id} if demand.only is not None else set()
                # Rules that contradict each other are told as such, and none of them is without effect.
                deciding |= {rule.id for conflict in demand.conflicts for rule in conflict.rules}
    return reached - deciding
