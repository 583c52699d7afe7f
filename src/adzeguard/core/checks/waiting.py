"""Hosts that have waited in a holding OU for long."""

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Final

from adzeguard.core.charter.logon_rule import ResolvedLogonRule
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.looked_at import LookedAt
from adzeguard.core.estate.names import host_named
from adzeguard.core.estate.rows import NEVER

_A_DAY: Final = 86_400


def waiting_hosts(looked_at: LookedAt) -> Iterator[Finding]:
    """Yield each host below an OU whose rule refuses logon with a notice, and that was made longer ago than allowed."""
    estate = looked_at.estate
    holding = [
        rule for rule in looked_at.charter.of(ResolvedLogonRule) if rule.refused and rule.notice and rule.scope.under
    ]
    scopes = HostScopes(holding)
    waiting = [host for host in estate.hosts if scopes.has_rules and scopes.on(host)]
    accounts = estate.catalogue.principals(host.id for host in waiting)
    for host in waiting:
        made = accounts[host.id].details.get("created", NEVER) if host.id in accounts else NEVER
        days = (estate.taken_at.timestamp() - made) // _A_DAY if made != NEVER else 0
        if days > looked_at.waiting_days:
            since = f"{datetime.fromtimestamp(made, UTC):%Y-%m-%d}"
            rule = scopes.on(host)[0].rule.rule
            yield Finding(
                "waiting-host",
                host_named(host),
                f"it waits for its place since {since}, {int(days)} days",
                host=host_named(host),
                rule=rule.id,
                owner=rule.owner,
                evidence={"days": int(days), "since": since},
            )
