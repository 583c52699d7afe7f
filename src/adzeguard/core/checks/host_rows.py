"""Rows of the table of checks: what is found at hosts beside their rules."""

from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.hosts import check_hosts, too_wide, without_source
from adzeguard.core.checks.local_accounts import local_accounts
from adzeguard.core.checks.unread_hosts import long_unread, without_rule
from adzeguard.core.checks.waiting import waiting_hosts

HOST_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "host-unread",
        "A host could not be read",
        "What is shown of it is old, or nothing.",
        "Read it when it is on: adzeguard collect",
        Severity.LOW,
        check_hosts,
        evidence=("trouble",),
    ),
    Check(
        "host-without-source",
        "A computer of the directory is of no source of hosts",
        "Nobody knows who administers it, and no rule about hosts is followed there.",
        "Give a source a part of the fleet that takes it: adzeguard.toml, [hosts.NAME] under, named or system",
        Severity.LOW,
        without_source,
        evidence=("dn",),
    ),
    Check(
        "waiting-host",
        "A host has waited in its holding OU for long",
        "It is of no use to anybody, and its owner may have forgotten it.",
        "Move it to its place and open it: adzeguard admit HOST OU",
        Severity.LOW,
        waiting_hosts,
        evidence=("days", "since"),
    ),
    Check(
        "keeper-missing",
        "No keeper can get into a host",
        "Nobody of the directory's own administrators could put anything right there.",
        "Put a keeper in: a rule with `include`, then adzeguard propose",
        Severity.HIGH,
        check_hosts,
        evidence=("members",),
    ),
    Check(
        "dangling-member",
        "A local administrator resolves to nothing",
        "Whoever gets that SID, or gets the other domain trusted, administers the host.",
        "Take it out: a rule with `only`, then adzeguard propose",
        Severity.MEDIUM,
        check_hosts,
        evidence=("member_sid",),
    ),
    Check(
        "everyone-inside",
        "Practically everybody administers a host",
        "Anyone who can log on there owns it, and whatever is used on it.",
        "Take it out: a rule with `exclude`, then adzeguard propose",
        Severity.CRITICAL,
        check_hosts,
        evidence=("member_sid",),
    ),
    Check(
        "distribution-group",
        "A distribution group is a local administrator",
        "It gives nothing now, and everything once somebody makes it a security group.",
        "Take it out, or put in a security group: adzeguard propose",
        Severity.MEDIUM,
        check_hosts,
        evidence=("member_sid",),
    ),
    Check(
        "name-twin",
        "A local group bears the name of a directory group",
        "People pick the wrong one of the two, and give or take what they did not mean.",
        "Name one of them otherwise, and write local\\NAME or DOMAIN\\NAME in rules",
        Severity.MEDIUM,
        check_hosts,
        evidence=("local_sid", "directory_sid"),
    ),
    Check(
        "wide-administrators",
        "A group of more than half of all users administers hosts",
        "A host that everybody administers is administered by nobody.",
        "Take it out of the hosts: a rule with `exclude`, then adzeguard propose",
        Severity.CRITICAL,
        too_wide,
        evidence=("hosts",),
    ),
    Check(
        "guest-enabled",
        "The guest account of a host is enabled",
        "Anybody logs on with it, and nobody knows who it was.",
        "Disable it: a rule with local-accounts, then adzeguard propose",
        Severity.MEDIUM,
        local_accounts,
    ),
    Check(
        "shared-local-account",
        "A local account is enabled on many hosts",
        "Whoever learns its password on one host is likely to get into all of them.",
        "Disable it where it is not needed: a rule with local-accounts, then adzeguard propose",
        Severity.LOW,
        local_accounts,
        evidence=("hosts",),
    ),
    Check(
        "host-long-unread",
        "A host has not answered for long",
        "What is known of it is old, and what was left to do there is not done.",
        "See what is in the way: adzeguard hosts test HOST; or take it out of the directory",
        Severity.MEDIUM,
        long_unread,
        evidence=("days",),
    ),
    Check(
        "host-without-rule",
        "No rule is about a host",
        "Nobody has said who administers it and who may log on.",
        "Write a rule whose hosts take it in, such as one for its OU",
        Severity.NOTE,
        without_rule,
        evidence=("dn",),
    ),
)
