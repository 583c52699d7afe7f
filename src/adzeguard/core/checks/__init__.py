"""The checks: plain functions from an estate and a charter to findings."""

from collections.abc import Sequence

from adzeguard.core.change.plan import Change, members_only
from adzeguard.core.change.withdrawal import withdrawals
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.checks.accounts import without_a_place
from adzeguard.core.checks.delegation import check_delegations
from adzeguard.core.checks.finding import Finding, worst_first
from adzeguard.core.checks.hosts import check_hosts, too_wide
from adzeguard.core.checks.objects import object_findings
from adzeguard.core.checks.privileged import check_privileged, privileged_groups
from adzeguard.core.checks.rules import (
    deviations_found,
    hosts_excepted,
    left_behind,
    name_problems,
    reaching_unlisted,
)
from adzeguard.core.delegations import Rights
from adzeguard.core.object_review import object_deviations
from adzeguard.core.principal import Principal
from adzeguard.core.review import review_groups, review_hosts


def all_findings(
    rights: Rights,
    charter: ResolvedCharter,
    privileged: Sequence[Principal] = (),
    standing: Sequence[Change] = (),
) -> list[Finding]:
    """Run every check and return what they find, worst first.

    `privileged` are groups besides the built-in ones, `standing` the additions that rules have made.
    """
    estate = rights.estate
    every_privileged = privileged_groups(estate, privileged)
    found = [
        *name_problems(charter),
        *deviations_found(review_groups(estate, charter)),
        *deviations_found(review_hosts(estate, charter)),
        *reaching_unlisted(estate, charter),
        *hosts_excepted(estate, charter),
        *check_privileged(estate, every_privileged),
        *check_hosts(estate, charter.keepers),
        *too_wide(estate),
        *left_behind(withdrawals(estate, charter, members_only(standing))),
        *object_findings(object_deviations(rights, charter)),
        *without_a_place(estate),
        *check_delegations(rights, charter, every_privileged),
    ]
    return worst_first(found)
