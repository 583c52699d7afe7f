"""Every key of adzeguard.toml that is ours, with what it means and what holds without it. Drivers have their own."""

from typing import Final

from adzeguard.core.cleaning.thresholds import USUAL_THRESHOLDS
from adzeguard.core.limits import USUAL_LIMITS
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Key:
    """One key. `usual` is the value without it, as TOML writes it; empty if there is none."""

    table: str
    name: str
    words: str
    usual: str = ""


KEYS: Final[tuple[Key, ...]] = (
    Key("hosts", "under", "for this source: only hosts below these OUs"),
    Key("hosts", "named", "for this source: only hosts with these names, such as KIOSK-*"),
    Key("hosts", "except", "for this source: not these hosts"),
    Key("hosts", "system", "for this source: only hosts with this operating system, such as *Linux*"),
    Key("store", "url", "the PostgreSQL database of a team; without it a file of the workspace"),
    Key("cluster", "ca_file", "the CA that signed the certificates of a Dask cluster"),
    Key("cluster", "certificate", "our certificate for the cluster"),
    Key("cluster", "key", "the key of that certificate"),
    Key("charter", "response", "what rules do that say no response: tell or mend", '"tell"'),
    Key("charter", "keepers", "who is never taken out; empty: the account with RID 500, and Domain Admins", "[]"),
    Key("charter", "privileged", "groups that count as privileged beside those that control the directory", "[]"),
    Key(
        "guards",
        "removals",
        "members taken out at once, from which on the number must be named",
        f"{USUAL_LIMITS.removals}",
    ),
    Key("guards", "hosts", "hosts touched at once, from which on the number must be named", f"{USUAL_LIMITS.hosts}"),
    Key(
        "guards",
        "share",
        "part of a group taken out at once, from which on the number must be named",
        f"{USUAL_LIMITS.share}",
    ),
    Key("guards", "operator", "the directory account whose way to undo is kept; without it bind_as"),
    Key("checks", "waiting_days", "for how long a host may wait in a holding OU", "14"),
    Key("checks", "unread_days", "for how long a host may stay unread", "14"),
    Key("checks", "past_days", "how far back checks look into the directory's log", "30"),
    Key(
        "checks",
        "working_hours",
        "times outside of which a change of a privileged group is found, such as Mon-Fri 07:00-19:00",
        "[]",
    ),
    Key("checks", "off", "checks that are not made; see adzeguard check --list", "[]"),
    Key("checks", "severity", "a table: how much each check matters here", "{}"),
    Key(
        "stale", "unused_days", "after how many days without use an account is stale", f"{USUAL_THRESHOLDS.unused.days}"
    ),
    Key(
        "stale",
        "never_used_days",
        "after how many days an account that was never used is stale",
        f"{USUAL_THRESHOLDS.never_used.days}",
    ),
    Key("stale", "password_days", "after how many days a password counts as old", f"{USUAL_THRESHOLDS.password.days}"),
    Key("retire", "ou", "the OU in which retired objects wait", '"OU=Retired"'),
    Key("retire", "wait_days", "for how many days they wait before they may be deleted", "30"),
    Key("leases", "contract_attribute", "the attribute that says when a person's contract ends", '"accountExpires"'),
    Key("leases", "longest_days", "for how long a lease may be given or extended", "366"),
    Key("questions", "owner", "who is asked about a rule that names no owner"),
    Key("questions", "answerers", "who may answer beside the owner, by account name", "[]"),
    Key("questions", "deputy", "who is notified if an owner does not answer"),
    Key("questions", "remind_days", "after how many days an owner is reminded", "7"),
    Key("questions", "own", "whether people may answer about their own accounts", "false"),
    Key("questions", "longest_days", "for how long a deviation may be left", "365"),
    Key("trail", "logs", "logs of the directory that each round reads on", "[]"),
    Key("seal", "key", "the SSH key with which rounds seal the journal once a day"),
    Key("approval", "groups", "groups whose changes need another person's approval", "[]"),
    Key("approval", "hosts", "hosts whose changes need approval, such as CONSOLE-*", "[]"),
    Key("approval", "changes", "kinds of changes that need approval, such as delete", "[]"),
    Key("approval", "signers", "the file of those who may approve (OpenSSH allowed signers)"),
    Key("approval", "days", "for how many days an approval counts", "7"),
    Key("approval", "without", "whether --without-approval is accepted", "false"),
)
OF_DRIVERS: Final = ("directory", "hosts", "tell", "shares", "other-domains")
"""Tables whose other keys belong to the driver that `kind` names."""
USUAL_DRIVERS: Final = {"other-domains": "ldap"}
"""The driver of a table that names none; elsewhere a table that is called like its driver needs not say so twice."""


def keys_of(table: str) -> list[str]:
    """Return the names of our keys in a table."""
    return [key.name for key in KEYS if key.table == table]


def tables() -> list[str]:
    """Return the tables that there are."""
    return list(dict.fromkeys([*OF_DRIVERS, *(key.table for key in KEYS)]))
