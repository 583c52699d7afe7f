"""Accounts of a tier that may log on to hosts of a lower one."""

from collections.abc import Iterator, Sequence
from typing import Final

from adzeguard.core.access.logon import may_log_on, shape_of, token_on
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.charter.tier_rule import ResolvedTier, TierRule, resolve_tier
from adzeguard.core.charter.tiers import tiers_of_accounts, tiers_of_hosts
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.logon import IN_PERSON, logon_of
from adzeguard.core.estate.logon_limits import hosts_listed
from adzeguard.core.estate.names import host_named
from adzeguard.core.estate.principal import Principal
from adzeguard.core.identity import Sid
from adzeguard.core.review.correction import Correction, correction_of
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.values import dataclass
from adzeguard.core.wording import some_of


@dataclass(frozen=True, slots=True)
class _OfTier:
    """An account that belongs to a tier by a rule."""

    account: Principal
    rule: ResolvedTier


def review_tiers(rights: Rights, charter: ResolvedCharter) -> Iterator[Correction]:
    """Yield each host on which accounts of a more powerful tier may log on at its console or remotely.

    Nothing is changed: who is refused where is for a rule with refuse-logon or logon-only-on to say.
    """
    estate, tiers = rights.estate, charter.of(ResolvedTier)
    accounts = _accounts(estate, tiers)
    scopes = tiers_of_hosts(tiers)
    logons = _Logons(estate)
    for host in estate.hosts if accounts and scopes.has_rules else ():
        held = scopes.on(host)
        if host.state is None or not held:
            continue
        tier = held[0].rule.tier
        above = [one for one in accounts if one.rule.tier < tier]
        for rule in {one.rule.id: one.rule for one in above}.values():
            yield from _on_host(host, tier, rule, [one.account for one in above if one.rule == rule], logons)


def _on_host(
    host: Host, tier: int, rule: ResolvedTier, accounts: Sequence[Principal], logons: "_Logons"
) -> Iterator[Correction]:
    let = {account.qualified_name: ways for account in accounts if (ways := logons.ways(host, account))}
    if let:
        who = f"{len(let)} account{'s' * (len(let) != 1)} of tier {rule.tier}"
        names = [f"{name} by {' and '.join(ways)}" for name, ways in sorted(let.items())]
        yield correction_of(
            rule,
            "lower-tier-logon",
            host_named(host),
            f"{who} may log on here, in tier {tier}: {some_of(names)}",
            response="tell",
            host=host_named(host),
            evidence={"accounts": sorted(let), "tier": tier},
        )


def _accounts(estate: Estate, tiers: Sequence[ResolvedTier]) -> list[_OfTier]:
    """Every enabled account that a tier names, in the most powerful tier that does."""
    found = tiers_of_accounts(estate, tiers)
    principals = estate.catalogue.principals(found)
    return [_OfTier(principals[i], rule) for i, rule in found.items() if i in principals and principals[i].enabled]


class _Logons:
    """By which ways an account gets in; hosts with the same rules about logons share the answer."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        self._known: dict[tuple[object, ...], tuple[str, ...]] = {}

    def ways(self, host: Host, account: Principal) -> tuple[str, ...]:
        """Return them, in our order."""
        listed = hosts_listed(account)
        if host.state is None or (listed and host.name.casefold() not in {name.casefold() for name in listed}):
            return ()
        rules = logon_of(host.state)
        key = (account.id, *shape_of(rules, host.state))
        if key not in self._known:
            token = token_on(self._estate, host.state, Sid(account.sid))
            self._known[key] = tuple(way for way in IN_PERSON if may_log_on(rules, token, way).allowed)
        return self._known[key]


TIER: Final = RuleKind("tier", TierRule, resolve_tier, review_tiers)
