"""Whether somebody can act by an account: enabled, not expired, with hours, and not kept from the directory's servers.

An account that is limited to some hosts signs in to the directory itself only where one of its servers is among them:
seen on real servers, whose simple binds and tickets ask for the name of the host.
"""

from collections.abc import Iterable, Mapping
from datetime import datetime

from adzeguard.core.errors import InputError
from adzeguard.core.estate.catalogue import Catalogue
from adzeguard.core.estate.logon_hours import hours_of
from adzeguard.core.estate.logon_limits import hosts_in, hosts_listed, hours_value
from adzeguard.core.estate.moments import moment
from adzeguard.core.estate.principal import Kind, Principal
from adzeguard.core.file_time import moment_of_steps
from adzeguard.core.values import dataclass
from adzeguard.core.wellknown import RID_DIRECTORY_SERVERS

Values = Mapping[str, tuple[bytes, ...]]
"""By its folded name, what an attribute will hold."""


@dataclass(frozen=True, slots=True)
class SigningIn:
    """What the directory says of when and where an account may sign in."""

    expires: datetime | None
    hours: bytes
    hosts: tuple[str, ...]

    @classmethod
    def of(cls, account: Principal, altered: Values) -> "SigningIn":
        """Return it as the account stands, or will stand with attributes that are set."""
        expires, hours = moment(account.details.get("expires")), hours_value(account)
        hosts = hosts_listed(account)
        if "accountexpires" in altered:
            expires = _expiry(altered["accountexpires"])
        if "logonhours" in altered:
            hours = next(iter(altered["logonhours"]), b"")
        if "userworkstations" in altered:
            named = next(iter(altered["userworkstations"]), b"").decode("utf-8", "replace")
            hosts = hosts_in(named)
        return cls(expires, hours, hosts)

    @property
    def is_free(self) -> bool:
        """Whether neither hours nor hosts limit it."""
        return not (self.hours or self.hosts)

    def has_hours(self) -> bool:
        """Tell whether any hour of the week is let; a value of another length lets every one, as servers take it."""
        try:
            return not self.hours or bool(hours_of(self.hours))
        except InputError:
            return True


def _expiry(values: Iterable[bytes]) -> datetime | None:
    """Return a moment of accountExpires ([MS-ADTS] 2.2.13: steps of 100 nanoseconds); None for never, or for none."""
    try:
        return moment_of_steps(int(next(iter(values), b"0")))
    except (ValueError, OverflowError):
        return None


def can_act(account: Principal, now: datetime, catalogue: Catalogue, altered: Values | None = None) -> bool:
    """Tell whether somebody can act by an account of the directory at a moment."""
    if account.kind != Kind.USER or not account.enabled:
        return False
    how = SigningIn.of(account, altered or {})
    if (how.expires is not None and how.expires <= now) or not how.has_hours():
        return False
    return not how.hosts or _is_directory_server_among(how.hosts, catalogue)


def _is_directory_server_among(hosts: Iterable[str], catalogue: Catalogue) -> bool:
    for name in hosts:
        for one in catalogue.principals(catalogue.by_name(name)).values():
            if one.kind == Kind.COMPUTER and one.primary_group_rid == RID_DIRECTORY_SERVERS and one.enabled:
                return True
    return False
