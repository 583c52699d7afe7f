"""Hosts that nobody looks after: not read for long, or with no rule at all."""

from collections.abc import Iterator
from datetime import timedelta

from adzeguard.core.charter.host_scope import on_hosts
from adzeguard.core.charter.scopes import HostScopes
from adzeguard.core.checks.finding import Finding
from adzeguard.core.checks.looked_at import LookedAt
from adzeguard.core.estate.names import host_named


def long_unread(looked_at: LookedAt) -> Iterator[Finding]:
    """Yield each host that has not answered for longer than it may."""
    estate = looked_at.estate
    for host in estate.hosts:
        last = looked_at.read_at.get(host.id)
        age = estate.taken_at - last if last is not None else timedelta()
        if last is not None and host.trouble and age > timedelta(days=looked_at.unread_days):
            message = f"it has not answered for {age.days} days, since {last:%Y-%m-%d}; what is known of it is as old"
            yield Finding("host-long-unread", host_named(host), message, evidence={"days": age.days})


def without_rule(looked_at: LookedAt) -> Iterator[Finding]:
    """Yield each host that is read and that no rule reaches, where there are rules about hosts at all."""
    rules = HostScopes([found for rule in looked_at.charter.rules if (found := on_hosts(rule)) is not None])
    for host in looked_at.estate.hosts if rules.has_rules else ():
        if host.source and not host.is_of_directory and not rules.on(host) and not rules.excepted_on(host):
            message = "no rule of the charter is about it"
            yield Finding("host-without-rule", host_named(host), message, evidence={"dn": host.dn})
