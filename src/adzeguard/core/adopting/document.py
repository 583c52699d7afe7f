"""Rules for the grants that stand and that nobody wrote down, with a place for the reason."""

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence

from adzeguard.core.adopting.rule_ids import rule_id
from adzeguard.core.charter.resolve import ResolvedCharter
from adzeguard.core.descriptors.ace import AceFlag
from adzeguard.core.descriptors.standing import all_among, missing_of
from adzeguard.core.errors import UsageError
from adzeguard.core.estate.principal import CONTAINERS, Kind
from adzeguard.core.review.documented import documented_entries
from adzeguard.core.rights.delegations import Delegation, Rights, sorted_for_people
from adzeguard.core.rights.duties import named_duties
from adzeguard.core.rights.duty_words import Extent
from adzeguard.core.rights.grants import single_rights
from adzeguard.core.rights.wanted import wanted_entries

_HEAD = """\
# Grants that stand and that no rule says. Write down why each is needed, or withdraw it.
charter: 1
rules:
"""
_EXTENTS: Mapping[int, Extent] = {
    0: "this",
    int(AceFlag.CONTAINER_INHERIT): "this-and-below",
    int(AceFlag.CONTAINER_INHERIT | AceFlag.INHERIT_ONLY): "below",
}


def documenting_rules(rights: Rights, charter: ResolvedCharter) -> str:
    """Return the YAML of the rules; what fits no duty, or is for nobody, becomes a comment."""
    documented = documented_entries(rights, charter)
    undocumented = [d for d in rights.own_grants() if not documented.covers(d.over.dn, d.grant.entries)]
    taken: Counter[str] = Counter(rule.id for rule in charter.charter.rules)
    return _HEAD + (grant_rules(rights, undocumented, taken, "''  # say why") or "  []\n")


def grant_rules(rights: Rights, grants: Iterable[Delegation], taken: Counter[str], why: str) -> str:
    """Return a rule for each grant, as part of a list of rules; `taken` are ids that stand already."""
    return "".join(part for d in sorted_for_people(grants) for part in _rule(rights, d, taken, why))


def _rule(rights: Rights, delegation: Delegation, taken: Counter[str], why: str) -> Iterator[str]:
    grant, holder = delegation.grant, delegation.holder
    named = [grant.duty] if grant.duty else single_rights(grant, rights.schema)
    own_classes = rights.duties[grant.duty].classes if grant.duty else ()
    narrowed = () if set(grant.for_classes) <= set(own_classes) else grant.for_classes
    gone = rights.estate.resolves_to_nothing(holder)
    if not named or gone or holder.kind == Kind.UNRESOLVED or not _says_it(rights, delegation, named, narrowed):
        of_another = "its holder is of another domain" if holder.kind == Kind.UNRESOLVED else "it fits no duty"
        reason = "its holder resolves to nothing" if gone else of_another
        yield f"  # {_one_line(delegation.sentence)}: {reason}; describe a duty of your own, or withdraw it\n\n"
        return
    verb = "deny" if grant.deny else "grant"
    container = delegation.over.kind in CONTAINERS
    over = delegation.over
    # What has no SID, such as a contact, has no name that says where it stands but its DN.
    called = over.qualified_name if "\\" in over.qualified_name else over.dn
    name = delegation.where if "=" in delegation.where and container else called
    lines = [
        f"  # {_one_line(delegation.sentence)}",
        f"  - id: {rule_id(taken, holder.name, named[0], delegation.over.name)}",
        f"    why: {why}",
        f"    over: {_quoted(name)}",
        f"    {verb}: [{', '.join(_quoted(n) if ':' in n else n for n in named)}]",
        f"    to: [{_quoted(holder.qualified_name)}]",
    ]
    if container:
        lines.append(f"    extent: {_EXTENTS[grant.flags]}")
    if narrowed:
        lines.append(f"    only-for: [{', '.join(narrowed)}]")
    yield "\n".join(lines) + "\n\n"


def _says_it(rights: Rights, delegation: Delegation, named: Sequence[str], narrowed: Sequence[str]) -> bool:
    """Tell whether a rule in these words would ask for what stands, and for nothing that does not."""
    grant, over = delegation.grant, delegation.over
    if grant.flags not in _EXTENTS:
        return False
    extent = _EXTENTS[grant.flags] if over.kind in CONTAINERS else None
    try:
        wanted = [
            entry
            for duty in named_duties(rights.duties, named, rights.schema)
            for entry in wanted_entries(
                rights, delegation.holder, duty, over, deny=grant.deny, extent=extent, only_for=narrowed
            )
        ]
    except UsageError:
        return False
    return not missing_of(wanted, grant.entries) and all_among(grant.entries, wanted)


def _one_line(text: str) -> str:
    return " ".join(text.split())


def _quoted(text: str) -> str:
    return "'" + _one_line(text).replace("'", "''") + "'"
