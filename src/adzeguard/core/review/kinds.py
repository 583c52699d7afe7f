"""The table of the kinds of rules."""

from typing import Final

from adzeguard.core.charter.account_rule import AccountRule, resolve_account_rule
from adzeguard.core.charter.elevate_rule import ElevateRule, resolve_elevation
from adzeguard.core.charter.grant_rule import GrantRule, resolve_grant
from adzeguard.core.charter.group_rule import GroupRule, resolve_group_rule
from adzeguard.core.charter.intake_rule import IntakeRule, resolve_intake
from adzeguard.core.charter.kinds import RuleKind
from adzeguard.core.charter.local_group_rule import LocalGroupRule, resolve_local_group_rule
from adzeguard.core.charter.logon_rule import LogonRule, resolve_logon_rule
from adzeguard.core.charter.own_accounts_rule import OwnAccountsRule, resolve_own_accounts
from adzeguard.core.charter.protect_rule import ProtectRule, resolve_protection
from adzeguard.core.charter.roster_rule import RosterRule, resolve_roster
from adzeguard.core.charter.standard_rule import StandardRule, resolve_standards
from adzeguard.core.charter.tier_rule import TierRule, resolve_tier
from adzeguard.core.review.absent_groups import review_absent_groups
from adzeguard.core.review.account_logon import review_logon_hours, review_logon_places
from adzeguard.core.review.account_standards import review_standards
from adzeguard.core.review.account_withdrawal import withdraw_account_settings
from adzeguard.core.review.elevate_rules import review_elevations, withdraw_elevations
from adzeguard.core.review.grants import review_grants
from adzeguard.core.review.group_rules import review_groups
from adzeguard.core.review.intake import review_intake
from adzeguard.core.review.local_group_rules import review_local_groups
from adzeguard.core.review.logon_rules import review_alone, review_notices, review_refusals, withdraw_logon
from adzeguard.core.review.own_accounts import review_own_accounts, withdraw_own_accounts
from adzeguard.core.review.protection import review_protection
from adzeguard.core.review.rule_rows import rows
from adzeguard.core.review.standards import review_directory_standards
from adzeguard.core.review.tiers import review_tiers

RULE_KINDS: Final = (
    RuleKind(
        "group",
        GroupRule,
        resolve_group_rule,
        review_groups,
        checks=rows(
            "unlisted-member",
            "excluded-member",
            "missing-member",
            "nested-group",
            "keeper-not-listed",
            "unlisted-reach",
        ),
    ),
    RuleKind(
        "local-group",
        LocalGroupRule,
        resolve_local_group_rule,
        review_local_groups,
        checks=rows(
            "unlisted-member", "excluded-member", "missing-member", "nested-group", "keeper-not-listed", "host-excepted"
        ),
    ),
    RuleKind(
        "refuse-logon", LogonRule, resolve_logon_rule, review_refusals, withdraw_logon, checks=rows("logon-not-refused")
    ),
    RuleKind("allow-logon-only", LogonRule, resolve_logon_rule, review_alone, checks=rows("logon-not-limited")),
    RuleKind("notice", LogonRule, resolve_logon_rule, review_notices, checks=rows("other-notice")),
    RuleKind(
        "elevate",
        ElevateRule,
        resolve_elevation,
        review_elevations,
        withdraw_elevations,
        checks=rows("elevation-missing", "program-changed"),
    ),
    RuleKind(
        "local-accounts",
        OwnAccountsRule,
        resolve_own_accounts,
        review_own_accounts,
        withdraw_own_accounts,
        checks=rows("local-account-enabled"),
    ),
    RuleKind(
        "logon-only-on",
        AccountRule,
        resolve_account_rule,
        review_logon_places,
        withdraw_account_settings,
        checks=rows("logs-on-elsewhere"),
    ),
    RuleKind("logon-hours", AccountRule, resolve_account_rule, review_logon_hours, checks=rows("logs-on-any-time")),
    RuleKind("account-standard", AccountRule, resolve_account_rule, review_standards, checks=rows("below-standard")),
    RuleKind(
        "standard",
        StandardRule,
        resolve_standards,
        review_directory_standards,
        checks=rows(
            "too-many-inside",
            "mailbox-where-none",
            "not-apart",
            "nested-otherwise",
            "named-otherwise",
            "lies-where-nothing-should",
            "without-owner",
            "unused-privilege",
        ),
    ),
    RuleKind("tier", TierRule, resolve_tier, review_tiers, checks=rows("lower-tier-logon")),
    RuleKind("roster", RosterRule, resolve_roster, review_absent_groups, checks=rows("missing-group")),
    RuleKind("protect", ProtectRule, resolve_protection, review_protection, checks=rows("unprotected-object")),
    RuleKind("intake", IntakeRule, resolve_intake, review_intake, checks=rows("intake-elsewhere")),
    RuleKind("over", GrantRule, resolve_grant, review_grants, checks=rows("missing-grant", "unclear-grant")),
)
"""A kind of rule is a row here, a file in `charter`, and one beside this."""
