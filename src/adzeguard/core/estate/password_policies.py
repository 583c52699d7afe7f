"""Which password policy applies to somebody: the domain's, or that of a settings object ([MS-ADTS] 3.1.1.4.5.36)."""

from collections.abc import Mapping, Sequence
from typing import Any, Final

from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import fold_dn
from adzeguard.core.values import dataclass

OF_THE_DOMAIN: Final = 0
"""The precedence of the domain's own policy, which holds where no settings object applies."""
_COUNTS: Final = Flag.GLOBAL | Flag.SECURITY_GROUP
_COUNTS_WITH_EVERY_SCOPE: Final = Flag.SECURITY_GROUP


@dataclass(frozen=True, slots=True)
class PasswordPolicy:
    """What a password must be like. Lengths of time are 0 for no end, the lock is 0 for no lock."""

    held_by: Principal
    name: str
    precedence: int
    min_length: int
    complex: bool
    reversible: bool
    history: int
    max_days: int
    lock_after: int
    lock_minutes: int

    def in_words(self) -> str:
        """Return it in a few words, such as "12 characters, of several kinds, locked after 5 tries"."""
        parts = [f"{self.min_length} characters"]
        parts += ["of several kinds"] if self.complex else ["of any kind"]
        parts += [f"for {self.max_days} days"] if self.max_days else ["without an end"]
        parts += [f"locked after {self.lock_after} tries"] if self.lock_after else ["never locked"]
        parts += ["kept so that it can be read"] if self.reversible else []
        return ", ".join(parts)


class PasswordPolicies:
    """Answers for everybody; read once."""

    def __init__(self, estate: Estate) -> None:
        self._estate = estate
        catalogue = estate.catalogue
        tops = catalogue.principals(catalogue.of_kind(Kind.DOMAIN).tolist()).values()
        self._of_domain: dict[str, PasswordPolicy | None] = {}
        every_scope = False
        for domain in estate.domain.all:
            own = next((one for one in tops if one.sid == domain.sid), None)
            self._of_domain[domain.sid] = _policy(own, domain.short_name) if own is not None else None
            every_scope = every_scope or (own is not None and bool(_told(own).get("every_scope")))
        self._counts = _COUNTS_WITH_EVERY_SCOPE if every_scope else _COUNTS
        objects = catalogue.principals(catalogue.of_kind(Kind.PASSWORD_POLICY).tolist()).values()
        self._applied: dict[int, list[tuple[int, str, PasswordPolicy]]] = {}
        for one in objects:
            policy = _policy(one, one.name)
            for dn in _told(one).get("applies_to") or () if policy is not None else ():
                found = catalogue.by_dn(dn)
                if found is not None and policy is not None:
                    self._applied.setdefault(found, []).append((policy.precedence, fold_dn(one.dn), policy))

    @property
    def settings_objects(self) -> int:
        """How many groups and people a settings object names."""
        return len(self._applied)

    def of(self, person: Principal) -> PasswordPolicy | None:
        """Return the policy of somebody; None where nothing of one was read. Computers have none of their own."""
        if person.kind != Kind.USER:
            return None
        chosen = self._first([person.id]) or (self._first(self._groups(person)) if self._applied else None)
        return chosen or self._of_domain[self._estate.domain.holding(person.dn).sid]

    def _first(self, ids: Sequence[int]) -> PasswordPolicy | None:
        """Return the one of the lowest precedence."""
        candidates = [one for i in ids for one in self._applied.get(i, ())]
        return min(candidates, key=lambda one: one[:2])[2] if candidates else None

    def _groups(self, person: Principal) -> list[int]:
        """Return the groups by which a settings object can apply, by any nesting: global security groups.

        A server of Samba's takes those of every scope, as was seen with 4.17.
        """
        around = [i for i in self._estate.graph.effective_groups(person.id).tolist() if i in self._applied]
        groups = self._estate.catalogue.principals(around)
        return [i for i, group in groups.items() if group.flags & self._counts == self._counts]


def _told(principal: Principal) -> Mapping[str, Any]:
    return principal.details.get("password_policy") or {}


def _policy(principal: Principal, name: str) -> PasswordPolicy | None:
    told = _told(principal)
    if not told:
        return None
    return PasswordPolicy(
        principal,
        name,
        int(told["precedence"]),
        int(told["min_length"]),
        bool(told["complex"]),
        bool(told["reversible"]),
        int(told["history"]),
        int(told["max_days"]),
        int(told["lock_after"]),
        int(told["lock_minutes"]),
    )
