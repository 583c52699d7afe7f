"""The table of the kinds of rules."""

from typing import Final

from adzeguard.core.charter.kinds import KindRow
from adzeguard.core.review.rule_rows import rows

RULE_KINDS: Final = (
    KindRow(
        "group",
        "adzeguard.core.charter.group_rule",
        "adzeguard.core.review.group_rules",
        rows(
            "unlisted-member",
            "excluded-member",
            "missing-member",
            "nested-group",
            "keeper-not-listed",
            "unlisted-reach",
        ),
    ),
    KindRow(
        "local-group",
        "adzeguard.core.charter.local_group_rule",
        "adzeguard.core.review.local_group_rules",
        rows(
            "unlisted-member", "excluded-member", "missing-member", "nested-group", "keeper-not-listed", "host-excepted"
        ),
    ),
    KindRow(
        "refuse-logon",
        "adzeguard.core.charter.logon_rule",
        "adzeguard.core.review.logon_rules",
        rows("logon-not-refused"),
        puts_in=("refuse-logon",),
    ),
    KindRow(
        "no-privileged-logons",
        "adzeguard.core.charter.logon_rule",
        "adzeguard.core.review.account_limits",
        rows("not-kept-away"),
        puts_in=("set",),
        by="leaving",
    ),
    KindRow(
        "allow-logon-only",
        "adzeguard.core.charter.logon_rule",
        "adzeguard.core.review.logon_rules",
        rows("logon-not-limited"),
        puts_in=("logon-alone",),
    ),
    KindRow(
        "notice",
        "adzeguard.core.charter.logon_rule",
        "adzeguard.core.review.logon_rules",
        rows("other-notice"),
        puts_in=("set-notice",),
    ),
    KindRow(
        "elevate",
        "adzeguard.core.charter.elevate_rule",
        "adzeguard.core.review.elevate_rules",
        rows("elevation-missing", "program-changed", "program-writable", "gives-a-shell"),
        puts_in=("give-elevation",),
    ),
    KindRow(
        "local-accounts",
        "adzeguard.core.charter.own_accounts_rule",
        "adzeguard.core.review.own_accounts",
        rows("local-account-enabled"),
        puts_in=("disable-own-account",),
    ),
    KindRow(
        "logon-only-on",
        "adzeguard.core.charter.account_rule",
        "adzeguard.core.review.account_logon",
        rows("logs-on-elsewhere"),
        puts_in=("set",),
    ),
    KindRow(
        "logon-hours",
        "adzeguard.core.charter.account_rule",
        "adzeguard.core.review.account_logon",
        rows("logs-on-any-time"),
        puts_in=("set",),
    ),
    KindRow(
        "memberships",
        "adzeguard.core.charter.account_rule",
        "adzeguard.core.review.account_memberships",
        rows("member-elsewhere"),
    ),
    KindRow(
        "account-standard",
        "adzeguard.core.charter.account_rule",
        "adzeguard.core.review.account_standards",
        rows("below-standard"),
        puts_in=("set", "set-account-control"),
    ),
    KindRow(
        "standard",
        "adzeguard.core.charter.standard_rule",
        "adzeguard.core.review.standards",
        rows(
            "too-many-inside",
            "mailbox-where-none",
            "not-apart",
            "nested-otherwise",
            "named-otherwise",
            "lies-where-nothing-should",
            "without-owner",
            "unused-privilege",
            "password-not-renewed",
        ),
    ),
    KindRow("tier", "adzeguard.core.charter.tier_rule", "adzeguard.core.review.tiers", rows("lower-tier-logon")),
    KindRow(
        "roster", "adzeguard.core.charter.roster_rule", "adzeguard.core.review.absent_groups", rows("missing-group")
    ),
    KindRow(
        "protect", "adzeguard.core.charter.protect_rule", "adzeguard.core.review.protection", rows("unprotected-object")
    ),
    KindRow("intake", "adzeguard.core.charter.intake_rule", "adzeguard.core.review.intake", rows("intake-elsewhere")),
    KindRow(
        "over",
        "adzeguard.core.charter.grant_rule",
        "adzeguard.core.review.grants",
        rows("missing-grant", "unclear-grant"),
    ),
)
"""A kind of rule is a row here, a file in `charter`, and one beside this that ends with the kind."""
