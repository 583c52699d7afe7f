"""A part of what deviates: under some rules, about some groups, on some hosts, below some OUs."""

from collections.abc import Sequence
from fnmatch import fnmatchcase

from adzeguard.core.estate.hosts import Host
from adzeguard.core.identity import fold_dn
from adzeguard.core.review.correction import Correction
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Chosen:
    """What is meant: rules, groups by SID, hosts, OUs by folded DN. Of each kind one must fit, and all together.

    Chosen are deviations and not changes: what puts one right, such as a primary group that is changed first, is never
    taken apart.
    """

    rules: Sequence[str] = ()
    groups: Sequence[str] = ()
    hosts: Sequence[str] = ()
    under: Sequence[str] = ()

    def means(self, one: Correction) -> bool:
        """Tell whether a deviation is meant."""
        host = one.host.name if one.host is not None else ""
        place = fold_dn((one.host or one.subject).dn)
        return (
            (not self.rules or one.rule in self.rules)
            and (not self.groups or (not host and one.subject.sid in self.groups))
            and (not self.hosts or any(_is_like(host, pattern) for pattern in self.hosts))
            and (not self.under or any(place == ou or place.endswith(f",{ou}") for ou in self.under))
        )

    def may_concern(self, one: Correction, *, about_hosts: bool) -> bool:
        """Tell whether a rule that is not followed at all may be about what is meant: it has no host of its own."""
        of_hosts = bool(self.hosts or self.under)
        return (
            one.host is None
            and (not self.rules or one.rule in self.rules)
            and (not of_hosts or about_hosts)
            and not (self.groups and about_hosts)
        )

    def means_host(self, host: Host) -> bool:
        """Tell whether a host is meant."""
        place = fold_dn(host.dn)
        return (
            not self.groups
            and (not self.hosts or any(_is_like(host.name, pattern) for pattern in self.hosts))
            and (not self.under or any(place.endswith(f",{ou}") for ou in self.under))
        )


def _is_like(name: str, pattern: str) -> bool:
    return bool(name) and fnmatchcase(name.casefold(), pattern.casefold())
