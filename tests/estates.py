"""Small estates made by hand, and strategies that draw random ones."""

from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, datetime

from hypothesis import strategies as st

from adzeguard.core.estate.assembly import Assembled, assemble
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import ObjectRow, Observed
from adzeguard.core.identity import Sid
from adzeguard.core.rights.delegations import Rights
from adzeguard.core.rights.duties import duties_of
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.directory.schema import standard_schema

BASE = "DC=lowmere,DC=example"
DOMAIN = Domain(BASE, "lowmere.example", "LOWMERE", Sid("S-1-5-21-10-20-30"))
NOON = datetime(2026, 11, 23, 12, tzinfo=UTC)


def row(name: str, kind: Kind, rid: int, *, flags: Flag = Flag.ENABLED, dn: str = "", primary: int = 0) -> ObjectRow:
    """One object of the made-up domain."""
    sid = f"{DOMAIN.sid}-{rid}" if rid else ""
    place = dn or f"CN={name},OU=People,{BASE}"
    return ObjectRow(name.encode(), kind, flags, sid, primary, name, place, 0, 0, 0, 0, b"", "")


def directory(
    people: Iterable[str],
    groups: Mapping[str, Sequence[str]],
    *,
    disabled: Iterable[str] = (),
    distribution: Iterable[str] = (),
    computers: Mapping[str, str] | None = None,
) -> Assembled:
    """A directory of people, groups with the names of their members, and computers by OU.

    Administrator has RID 500 and Domain Admins 512, as everywhere; OUs are made from where computers stand.
    """
    rids = {"Administrator": 500, "Domain Admins": 512, "Domain Users": 513}
    seen: list[Observed] = []
    names = [*people, *groups, *(computers or {})]
    dn_of = {name: f"CN={name},OU=People,{BASE}" for name in names}
    for number, name in enumerate(names, 1200):
        rid = rids.get(name, number)
        if name in groups:
            flags = Flag.GLOBAL if name in distribution else Flag.GLOBAL | Flag.SECURITY_GROUP
            members = tuple(dn_of[m] for m in groups[name])
            seen.append(Observed(row(name, Kind.GROUP, rid, flags=flags), members))
        elif computers and name in computers:
            seen.append(Observed(row(name, Kind.COMPUTER, rid, dn=f"CN={name},{computers[name]},{BASE}")))
        else:
            flags = Flag(0) if name in disabled else Flag.ENABLED
            seen.append(
                Observed(row(name, Kind.USER, rid, flags=flags, primary=513 if "Domain Users" in groups else 0))
            )
    ous: dict[str, None] = {}
    for where in dict.fromkeys((computers or {}).values()):
        parts = where.split(",")
        ous |= {",".join(parts[at:]): None for at in range(len(parts))}
    seen += [Observed(row(ou.partition(",")[0][3:], Kind.OU, 0, dn=f"{ou},{BASE}")) for ou in ous]
    seen = [Observed(s.row._replace(key=s.row.dn.encode()), s.members) for s in seen]
    return assemble(DOMAIN, seen, range(len(seen)))


def estate(whole: Assembled, hosts: Mapping[str, Sequence[str]] | None = None) -> Estate:
    """An estate in memory; `hosts` gives the administrators of each by name, "local" for the host's own."""
    found = []
    for number, (name, members) in enumerate((hosts or {}).items(), 1):
        [computer] = whole.objects.by_name(name)
        machine = Sid(f"S-1-5-21-7-7-{number}")
        sids = frozenset(
            Sid(f"{machine}-500")
            if member == "local"
            else Sid(member)
            if member.startswith("S-1-")
            else sid_of(whole, member)
            for member in members
        )
        groups = (LocalGroup("Administrators", ADMINISTRATORS, sids),)
        state = HostState(machine, (LocalAccount("administrator", Sid(f"{machine}-500")),), groups)
        found.append(Host(computer, name, whole.objects.dns[computer], state))
    return Estate(NOON, DOMAIN, whole.objects, whole.graph, found)


def rights_of(of: Estate) -> Rights:
    """The estate with the standard schema and duties."""
    schema = standard_schema()
    return Rights(of, schema, duties_of(schema, {}))


def sid_of(whole: Assembled, name: str) -> Sid:
    """The SID of an object by its name."""
    [found] = whole.objects.by_name(name)
    return Sid(whole.objects.sid(found))


@st.composite
def graphs(draw: st.DrawFn) -> tuple[MembershipGraph, dict[int, set[int]], dict[int, bool]]:
    """A random membership graph with cycles, distribution groups and primary groups, and what it was made from."""
    groups = draw(st.lists(st.integers(0, 40), min_size=1, max_size=14, unique=True))
    people = [i for i in range(60) if i not in groups]
    members = {g: draw(st.sets(st.sampled_from([*groups, *people]), max_size=6)) for g in groups}
    security = {g: draw(st.sampled_from([True, True, True, False])) for g in groups}
    primary: dict[int, set[int]] = {}
    for person in draw(st.sets(st.sampled_from(people), max_size=8)):
        primary.setdefault(draw(st.sampled_from(groups)), set()).add(person)
    graph = MembershipGraph.build(60, security, members, primary)
    return graph, {g: members[g] | primary.get(g, set()) for g in groups}, security
