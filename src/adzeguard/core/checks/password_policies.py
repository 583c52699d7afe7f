"""Password policies that are too weak for who is privileged."""

from collections.abc import Iterator
from typing import Final

from adzeguard.core.access.members import people_inside
from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.password_policies import PasswordPolicies, PasswordPolicy
from adzeguard.core.estate.principal import Principal
from adzeguard.core.wording import counted_noun, some_of

_FEWEST: Final = 12
_SHOWN: Final = 5


def check_password_policies(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield each weak policy once, with the privileged accounts that it applies to."""
    estate = looked_at.estate
    policies = PasswordPolicies(estate)
    inside = people_inside(estate.graph, [group.id for group in looked_at.privileged]).tolist()
    under: dict[int, tuple[PasswordPolicy, list[Principal]]] = {}
    for one in estate.catalogue.principals(inside).values():
        found = policies.of(one) if one.enabled else None
        if found is not None:
            under.setdefault(found.held_by.id, (found, []))[1].append(one)
    for policy, people in under.values():
        if weak := _weak(policy):
            names = sorted((one.qualified_name for one in people), key=str.casefold)
            said = f"{', '.join(weak)}; it applies to {counted_noun(len(people), 'privileged account')}: "
            evidence = {"policy": policy.name, "accounts": len(people)}
            yield Finding(
                "weak-policy-for-privileged", Named.of(policy.held_by), said + some_of(names, _SHOWN), evidence=evidence
            )


def _weak(policy: PasswordPolicy) -> list[str]:
    reasons = [f"{policy.min_length} characters are enough"] if policy.min_length < _FEWEST else []
    reasons += ["nobody is locked out, however often they try"] if not policy.lock_after else []
    reasons += ["passwords are kept so that they can be read"] if policy.reversible else []
    return reasons


PASSWORD_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "weak-policy-for-privileged",
        "A weak password policy applies to privileged accounts",
        "Their passwords can be guessed, and one guessed password is enough to control the directory.",
        "Give them a settings object of their own with 12 characters or more and a lock, at a directory server; which "
        "policy applies to somebody: adzeguard show NAME",
        Severity.MEDIUM,
        check_password_policies,
        evidence=("policy", "accounts"),
    ),
)
