"""A made-up estate of any size, straight in columns: people, groups nested twelve deep with rings, hosts in OUs."""

import time
from dataclasses import dataclass

import numpy as np

from adzeguard.core.descriptors.ace import Ace, AceFlag, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.estate.hosts import Host, HostState, LocalAccount, LocalGroup
from adzeguard.core.estate.links import Links
from adzeguard.core.estate.membership import MembershipGraph
from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.texts import Texts
from adzeguard.core.identity import Sid
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.directory.schema import first_entries

BASE = "DC=lowmere,DC=example"
DOMAIN = Domain(BASE, "lowmere.example", "LOWMERE", Sid("S-1-5-21-10-20-30"))
DEPTH = 12
_DAY = 86_400
_WORDS = "Sails on the morning ferry, keeps the deck in order, and looks after the ropes. " * 7
_USERS, _REMOTE, _BACKUP, _PERFORMANCE = (Sid(f"S-1-5-32-{rid}") for rid in (545, 555, 551, 558))
PRIVILEGED = 40


@dataclass(frozen=True)
class Size:
    """How large an estate is."""

    name: str
    people: int
    groups: int
    links: int
    hosts: int
    ous: int


M = Size("M", 10_000, 1_000, 50_000, 2_000, 20)
T = Size("T", 10_000, 2_000, 80_000, 200, 20)
K = Size("K", 100_000, 20_000, 800_000, 2_000, 60)
L = Size("L", 1_000_000, 200_000, 8_000_000, 20_000, 200)


def make(size: Size, seed: int = 1) -> Assembled:
    """Return the directory: people first, then groups, computers, OUs and the domain."""
    lot = np.random.default_rng(seed)
    first_group, first_host = size.people, size.people + size.groups
    first_ou = first_host + size.hosts
    count = first_ou + size.ous + 2
    kinds = np.full(count, Kind.USER, np.uint8)
    kinds[first_group:first_host] = Kind.GROUP
    kinds[first_host:first_ou] = Kind.COMPUTER
    kinds[first_ou:] = Kind.OU
    kinds[-1] = Kind.DOMAIN
    flags = np.full(count, int(Flag.ENABLED), np.uint32)
    flags[first_group:first_host] = int(Flag.GLOBAL | Flag.SECURITY_GROUP)
    rids = np.arange(count, dtype=np.uint32) + 1100
    rids[first_group], rids[0] = 512, 500
    authorities = np.zeros(count, np.int32)
    authorities[first_ou:] = -1
    authorities[-1] = -1
    names = [f"person.{n:07}" for n in range(size.people)]
    names += [f"group.{n:06}" for n in range(size.groups)]
    names += [f"HOST-{n:05}" for n in range(size.hosts)]
    names += [f"site{n:03}" for n in range(size.ous)] + ["Hosts", "lowmere"]
    names[0], names[first_group] = "Administrator", "Domain Admins"
    dns = [f"CN={name},OU=People,{BASE}" for name in names[:first_group]]
    dns += [f"CN={name},OU=Groups,{BASE}" for name in names[first_group:first_host]]
    dns += [f"CN={name},OU=site{n % size.ous:03},OU=Hosts,{BASE}" for n, name in enumerate(names[first_host:first_ou])]
    dns += [f"OU={name},OU=Hosts,{BASE}" for name in names[first_ou:-2]] + [f"OU=Hosts,{BASE}", BASE]
    times = np.zeros((count, 4), np.int64)
    # One person in twenty has not been seen for half a year or longer.
    now = int(time.time())
    times[:, :3] = now - lot.integers(0, 100 * _DAY, (count, 3))
    seldom = lot.random(count) < 0.05
    times[seldom, 1] -= 300 * _DAY
    details = Texts.of(_details(names[n], dns[n // 50]) for n in range(count))
    objects = Objects(
        DOMAIN,
        kinds,
        flags,
        np.full(count, 513, np.uint32),
        times,
        authorities,
        rids,
        (str(DOMAIN.sid),),
        Texts.of(f"{n:032x}" for n in range(count)),
        Texts.of(names),
        Texts.of(dns),
        details,
        *_descriptors(kinds),
    )
    return Assembled(objects, _graph(size, count, lot))


def _details(name: str, manager: str) -> str:
    """A kilobyte of attributes, as a real directory has of a person."""
    return (
        f'{{"department": "Quay and Deck", "description": "{_WORDS}", "display_name": "{name} of Lowmere Ferries",'
        f' "mail": "{name}@lowmere.example", "manager": "{manager}", "title": "{_WORDS[:120]}",'
        f' "user_principal_name": "{name}@lowmere.example", "workstations": ""}}'
    )


def _descriptors(kinds: np.ndarray) -> tuple[np.ndarray, tuple[bytes, ...]]:
    """Ten descriptors for each kind, which share most of their entries; every tenth OU has a grant of its own."""
    classes = {
        Kind.USER: "user",
        Kind.GROUP: "group",
        Kind.COMPUTER: "computer",
        Kind.OU: "organizationalUnit",
        Kind.DOMAIN: "domainDNS",
    }
    rows = np.full(len(kinds), -1, np.int32)
    found: list[bytes] = []
    owner = DOMAIN.account(512)
    for kind, name in classes.items():
        at = np.flatnonzero(kinds == kind)
        rows[at] = len(found) + np.arange(len(at)) % 10
        for variant in range(10):
            inherited = 0 if kind == Kind.OU and variant == 0 else int(AceFlag.INHERITED)
            given = Ace(AceKind.ALLOW, inherited, int(Right.READ_PROPERTY), DOMAIN.account(500_000 + variant))
            entries = [*first_entries([name], DOMAIN.sid), given]
            found.append(Descriptor(owner, owner, None).with_entries(entries).to_bytes())
    return rows, tuple(found)


def _graph(size: Size, count: int, lot: np.random.Generator) -> MembershipGraph:
    groups = size.groups
    level = np.arange(groups) % DEPTH
    nested = size.links // 40
    sources = lot.integers(0, groups, nested)
    sources = sources[level[sources] < DEPTH - 1]
    # A group holds groups of the next level near it, so that nesting is deep but not everything leads everywhere.
    targets = (sources + 1 + DEPTH * lot.integers(0, 20, len(sources))) % groups
    rings = lot.integers(0, groups - DEPTH, groups // 500)
    sources, targets = np.append(sources, rings + 3), np.append(targets, rings)
    members = size.links - len(sources)
    # Few groups are large and many are small.
    holders = (groups * lot.random(members) ** 1.5).astype(np.int64)
    people = lot.integers(0, size.people, members)
    ids = np.arange(size.people, size.people + groups, dtype=np.int32)
    empty = Links(np.zeros(groups + 1, np.int64), np.empty(0, np.int32))
    admin = np.array([0])
    return MembershipGraph(
        count,
        ids,
        np.ones(groups, bool),
        Links.of_pairs(sources, targets, groups),
        Links.of_pairs(np.append(holders, admin * 0), np.append(people, admin), groups),
        empty,
    )


def privileged(size: Size) -> list[int]:
    """Return the groups that count as privileged, spread over the levels."""
    return [size.people + n * (size.groups // PRIVILEGED) for n in range(PRIVILEGED)]


def make_hosts(size: Size, whole: Assembled) -> list[Host]:
    """Return hosts with the directory's administrators, a group of their site, and here and there a person."""
    first_host = size.people + size.groups
    hosts = []
    for n in range(size.hosts):
        machine = Sid(f"S-1-5-21-9-{n}-7")
        site = n % size.ous
        members = {
            Sid(whole.objects.sid(size.people)),
            Sid(f"{machine}-500"),
            Sid(whole.objects.sid(size.people + 1 + site)),
        }
        if n % 7 == 0:
            members.add(Sid(whole.objects.sid(n)))
        site_group = frozenset({Sid(whole.objects.sid(size.people + 1 + site))})
        groups = (
            LocalGroup("Administrators", ADMINISTRATORS, frozenset(members)),
            LocalGroup("Backup Operators", _BACKUP, frozenset()),
            LocalGroup("Performance Monitor Users", _PERFORMANCE, frozenset()),
            LocalGroup("Remote Desktop Users", _REMOTE, site_group),
            LocalGroup("Users", _USERS, site_group | {Sid("S-1-5-11"), Sid("S-1-5-4")}),
        )
        accounts = (("administrator", 500), ("guest", 501), ("keeper", 1001), ("service", 1002))
        own = tuple(LocalAccount(name, Sid(f"{machine}-{rid}"), enabled=rid != 501) for name, rid in accounts)
        state = HostState(machine, own, groups)
        hosts.append(Host(first_host + n, f"HOST-{n:05}", whole.objects.dns[first_host + n], state))
    return hosts


def charter(size: Size) -> str:
    """Return a charter of 40 rules for groups and 200 for hosts."""
    parts = ["charter: 1\nrules:\n"]
    for n, group in enumerate(privileged(size)):
        name = "Domain Admins" if n == 0 else f"group.{group - size.people:06}"
        said = "include: ['LOWMERE\\Administrator']" if n == 0 else "only: ['LOWMERE\\person.0000001']"
        parts.append(f"  - {{id: group-{n}, group: 'LOWMERE\\{name}', {said}}}\n")
    for n in range(200):
        site, group = n % size.ous, f"group.{1 + n % size.ous:06}"
        parts.append(
            f"  - {{id: hosts-{n}, hosts: {{under: 'OU=site{site:03},OU=Hosts'}}, local-group: administrators, "
            f"response: mend, only: ['LOWMERE\\Domain Admins', 'local\\administrator', 'LOWMERE\\{group}']}}\n"
        )
    return "".join(parts)
