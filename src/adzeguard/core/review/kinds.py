"""The table of the kinds of rules."""

from collections.abc import Callable, Iterable
from typing import Any, Final

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
from adzeguard.core.charter.rule import RuleBase
from adzeguard.core.charter.standard_rule import StandardRule, resolve_standards
from adzeguard.core.charter.tier_rule import TierRule, resolve_tier
from adzeguard.core.check_row import CheckRow
from adzeguard.core.review.absent_groups import review_absent_groups
from adzeguard.core.review.account_limits import review_account_limits, withdraw_account_limits
from adzeguard.core.review.account_logon import LOGON_HOURS, LOGON_PLACES
from adzeguard.core.review.account_memberships import review_account_memberships
from adzeguard.core.review.account_settings import AccountSetting
from adzeguard.core.review.account_standards import STANDARDS
from adzeguard.core.review.elevate_rules import ELEVATIONS
from adzeguard.core.review.grants import review_grants
from adzeguard.core.review.group_rules import review_groups
from adzeguard.core.review.intake import review_intake
from adzeguard.core.review.local_group_rules import review_local_groups
from adzeguard.core.review.logon_rules import ALONE, NOTICES, REFUSALS
from adzeguard.core.review.own_accounts import OWN_ACCOUNTS
from adzeguard.core.review.protection import review_protection
from adzeguard.core.review.rule_rows import rows
from adzeguard.core.review.settings import Setting
from adzeguard.core.review.standards import review_directory_standards
from adzeguard.core.review.tiers import review_tiers
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class SettingKind(RuleKind):
    """A kind of rule about one setting of hosts."""

    setting: Setting[Any] | None = None


def of_setting(
    key: str,
    words: type[RuleBase],
    resolve: Callable[..., Iterable[Any]],
    setting: Setting[Any],
    checks: tuple[CheckRow, ...],
) -> SettingKind:
    """Return the row of a kind of rule about one setting of hosts."""
    return SettingKind(key, words, resolve, setting.review, setting.withdraw, checks, setting)


def of_accounts(key: str, setting: AccountSetting, checks: tuple[CheckRow, ...]) -> RuleKind:
    """Return the row of a kind of rule about one setting of accounts."""
    return RuleKind(key, AccountRule, resolve_account_rule, setting.review, setting.withdraw, checks)


RULE_KINDS: Final[tuple[RuleKind, ...]] = (
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
    of_setting("refuse-logon", LogonRule, resolve_logon_rule, REFUSALS, rows("logon-not-refused")),
    # It comes to refusals, which the row above sees to, and to limits of accounts where a host can refuse nobody.
    RuleKind(
        "no-privileged-logons",
        LogonRule,
        resolve_logon_rule,
        review_account_limits,
        withdraw_account_limits,
        rows("not-kept-away"),
    ),
    of_setting("allow-logon-only", LogonRule, resolve_logon_rule, ALONE, rows("logon-not-limited")),
    of_setting("notice", LogonRule, resolve_logon_rule, NOTICES, rows("other-notice")),
    of_setting(
        "elevate",
        ElevateRule,
        resolve_elevation,
        ELEVATIONS,
        rows("elevation-missing", "program-changed", "program-writable", "gives-a-shell"),
    ),
    of_setting("local-accounts", OwnAccountsRule, resolve_own_accounts, OWN_ACCOUNTS, rows("local-account-enabled")),
    of_accounts("logon-only-on", LOGON_PLACES, rows("logs-on-elsewhere")),
    of_accounts("logon-hours", LOGON_HOURS, rows("logs-on-any-time")),
    RuleKind(
        "memberships",
        AccountRule,
        resolve_account_rule,
        review_account_memberships,
        checks=rows("member-elsewhere"),
    ),
    of_accounts("account-standard", STANDARDS, rows("below-standard")),
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
            "password-not-renewed",
        ),
    ),
    RuleKind("tier", TierRule, resolve_tier, review_tiers, checks=rows("lower-tier-logon")),
    RuleKind("roster", RosterRule, resolve_roster, review_absent_groups, checks=rows("missing-group")),
    RuleKind("protect", ProtectRule, resolve_protection, review_protection, checks=rows("unprotected-object")),
    RuleKind("intake", IntakeRule, resolve_intake, review_intake, checks=rows("intake-elsewhere")),
    RuleKind("over", GrantRule, resolve_grant, review_grants, checks=rows("missing-grant", "unclear-grant")),
)
"""A kind of rule is a row here, a file in `charter`, and one beside this."""
SETTINGS: Final = tuple(kind.setting for kind in RULE_KINDS if isinstance(kind, SettingKind) and kind.setting)
"""What rules set of hosts."""
