"""What changes of groups, OUs and single objects have in common when somebody makes them by hand."""

from collections.abc import Iterable

from adzeguard.core.change.change import BY_HAND_RULE
from adzeguard.core.change.kinds.change_rights import ChangeRights
from adzeguard.core.descriptors.ace import Ace
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import AmbiguousNameError, GuardError, UnknownNameError, UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import candidate_lines
from adzeguard.core.estate.principal import CONTAINERS, Principal
from adzeguard.core.identity import escape_dn_value

_LONGEST_LEAF = 64  # characters of a common name or OU name, [MS-ADSC]


def rights_change(
    over: Named,
    *,
    gives: Iterable[Ace] = (),
    takes: Iterable[Ace] = (),
    rule: str = BY_HAND_RULE,
    why: str = "",
    leaves: bool = False,
) -> ChangeRights:
    """Make the change that puts entries into a descriptor, or takes them out."""
    return ChangeRights(object=over, gives=tuple(gives), takes=tuple(takes), rule=rule, why=why, leaves=leaves)


def container_at(estate: Estate, dn: str) -> Principal:
    """Return the OU or container of this DN, which may leave the base away, or of this name if one alone bears it."""
    found = estate.catalogue.by_dn(estate.domain.full_dn(dn))
    if found is None and "=" not in dn:
        named = estate.catalogue.principals(estate.catalogue.by_name(dn)).values()
        containers = [one for one in named if one.kind in CONTAINERS]
        if len(containers) > 1:
            raise AmbiguousNameError(
                f"'{dn}' is the name of {len(containers)} containers:\n{candidate_lines(containers)}",
                "Write the DN of one",
            )
        found = containers[0].id if containers else None
    if found is None:
        raise UnknownNameError(
            f"there is no container '{dn}'", "Write it as OU=Name,OU=Above; see: adzeguard find --kind ou"
        )
    principal = estate.principal(found)
    if principal.kind not in CONTAINERS:
        raise UsageError(f"{principal.qualified_name} is {principal.kind.one}, and holds nothing below it")
    return principal


def child_dn(attribute: str, name: str, container: Principal) -> str:
    """Return the name of something new in a container; `UsageError` where a name cannot be one."""
    if not name.strip() or len(name) > _LONGEST_LEAF or not name.isprintable():
        raise UsageError(f"'{name}' cannot be a name: it must have 1 to {_LONGEST_LEAF} printable characters")
    if name != name.strip():
        raise UsageError(f"'{name}' cannot be a name: it begins or ends with a space", f"Write '{name.strip()}'")
    return f"{attribute}={escape_dn_value(name)},{container.dn}"


def descriptor_over(estate: Estate, principal: Principal) -> Descriptor:
    """Return the security descriptor of an object; `GuardError` where the directory did not show it."""
    raw = estate.catalogue.descriptors([principal.id]).get(principal.id)
    if raw is None:
        raise GuardError([f"the rights over {principal.dn} are not known: they were not collected with it"])
    return Descriptor.from_bytes(raw)
