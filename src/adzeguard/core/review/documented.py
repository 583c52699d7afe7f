"""The entries of descriptors that rules ask for: what is documented, against what really stands."""

from collections.abc import Iterable, Mapping
from collections.abc import Set as AbstractSet

from adzeguard.core.charter.grant_rule import ResolvedGrant
from adzeguard.core.charter.protect_rule import ResolvedProtection
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.protection import ON_ITS_CONTAINER, ON_THE_OBJECT
from adzeguard.core.descriptors.standing import all_among
from adzeguard.core.errors import UsageError
from adzeguard.core.identity import fold_dn, parent_dn
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.duties import named_duties
from adzeguard.core.rights.wanted import wanted_entries
from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Documented:
    """The entries that rules ask for, by the folded name of their object, and the rules that cannot be understood."""

    entries: Mapping[str, AbstractSet[Ace]]
    unclear: frozenset[str]

    def covers(self, dn: str, entries: Iterable[Ace]) -> bool:
        """Tell whether rules ask for all of these entries on an object."""
        return all_among(tuple(entries), self.entries.get(fold_dn(dn), frozenset()))


def documented_entries(rights: Rights, charter: ResolvedCharter) -> Documented:
    """Return what the rules in force ask for."""
    entries: dict[str, set[Ace]] = {}
    unclear: set[str] = set()
    for protection in charter.of(ResolvedProtection):
        for principal in protection.objects:
            entries.setdefault(fold_dn(principal.dn), set()).add(ON_THE_OBJECT)
            entries.setdefault(fold_dn(parent_dn(principal.dn)), set()).add(ON_ITS_CONTAINER)
    for grant in charter.of(ResolvedGrant):
        try:
            entries.setdefault(fold_dn(grant.over.dn), set()).update(_asked_for(rights, grant))
        except UsageError:  # told as a correction of its own
            unclear.add(grant.id)
    return Documented(entries, frozenset(unclear))


def _asked_for(rights: Rights, grant: ResolvedGrant) -> list[Ace]:
    rule = grant.rule
    return [
        entry
        for duty in named_duties(rights.duties, rule.grant or rule.deny, rights.schema)
        for who in grant.to
        for entry in wanted_entries(
            rights, who, duty, grant.over, deny=bool(rule.deny), extent=rule.extent, only_for=rule.only_for
        )
    ]
