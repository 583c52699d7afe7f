"""Ways over hosts: who administers one, and what was left there by whom, against a search of their own."""

import json
from dataclasses import replace
from datetime import timedelta
from typing import cast
from uuid import UUID

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host
from adzeguard.core.estate.logon import LOGON_REFUSAL, LogonRules
from adzeguard.core.estate.objects import Objects
from adzeguard.core.estate.texts import Texts
from adzeguard.core.identity import Sid
from adzeguard.core.rights.cut import smallest_cut
from adzeguard.core.rights.over_hosts import LeftOn, OverHosts, Proof
from adzeguard.core.rights.reach import ReachFinder
from adzeguard.core.rights.reach_graph import EVERYBODY, ReachGraph
from adzeguard.core.rights.reach_words import reaching, ways_over_hosts
from adzeguard.core.rights.ways import SEES
from adzeguard.directory.schema import standard_schema
from tests.estates import NOON, directory, estate, rights_of

PEOPLE = [f"p{n}" for n in range(25)]
GROUPS = [f"g{n}" for n in range(14)]
HOSTS = [f"H{n}" for n in range(6)]
GOAL = "g0"
MOST_HOSTS = 2
EVERYONE = "S-1-1-0"


def over(of: Estate, left: list[tuple[str, str, timedelta, str]]) -> OverHosts:
    """What these left on hosts, so long ago and in these ways."""
    sid = {name: str(of.principal(of.catalogue.by_name(name)[0]).sid) for name, *_ in left}
    found = [LeftOn(sid[name], host, NOON - ago, way) for name, host, ago, way in left]
    return OverHosts(of, lambda sids: {sid: [one for one in found if one.sid == sid] for sid in sids}, NOON)


def graph_of(of: Estate, hosts: OverHosts, goal: str = GOAL) -> ReachGraph:
    """What leads to the goal."""
    return ReachFinder(rights_of(of), over=hosts).graph(of.catalogue.by_name(goal)[0])


@st.composite
def domains(draw: st.DrawFn) -> tuple[dict[str, list[str]], dict[str, list[str]], list[tuple[str, str]]]:
    """Groups with their members, hosts with their administrators, and who logged on where."""
    groups = {name: draw(st.lists(st.sampled_from([*PEOPLE, *GROUPS]), max_size=4, unique=True)) for name in GROUPS}
    some = st.sampled_from([*PEOPLE, *GROUPS, *([EVERYONE] if draw(st.integers(0, 5)) == 0 else [])])
    hosts = {name: draw(st.lists(some, max_size=2, unique=True)) for name in HOSTS}
    logons = draw(st.lists(st.tuples(st.sampled_from(PEOPLE), st.sampled_from(HOSTS)), max_size=14, unique=True))
    return groups, hosts, logons


def inside(groups: dict[str, list[str]], who: str) -> set[str]:
    """The groups that somebody is in, however deeply nested."""
    found, waiting = set(), [who]
    while waiting:
        here = waiting.pop()
        more = {name for name, members in groups.items() if here in members} - found
        found |= more
        waiting += more
    return found


def reaches(
    groups: dict[str, list[str]], hosts: dict[str, list[str]], logons: list[tuple[str, str]], start: str
) -> bool:
    """Whether somebody gets into the goal, going from host to host."""
    passed, waiting = {start: 0}, [start]
    while waiting:
        who = waiting.pop()
        mine = inside(groups, who)
        if GOAL in mine:
            return True
        for host, administrators in hosts.items():
            if passed[who] < MOST_HOSTS and {who, *mine, EVERYONE} & set(administrators):
                for other in (person for person, at in logons if at == host):
                    if passed[who] + 1 < passed.get(other, MOST_HOSTS + 1):
                        passed[other] = passed[who] + 1
                        waiting.append(other)
    return False


@given(domains())
def test_who_reaches_a_group_over_hosts_is_whom_another_search_finds(
    domain: tuple[dict[str, list[str]], dict[str, list[str]], list[tuple[str, str]]],
) -> None:
    """Exactly those, over at most two hosts; and after the smallest cut nobody of them is left."""
    groups, hosts, logons = domain
    of = estate(directory(PEOPLE, groups, computers=dict.fromkeys(HOSTS, "OU=Hosts")), hosts)
    graph = graph_of(of, over(of, [(who, host, timedelta(hours=1), "console") for who, host in logons]))
    found = {one.principal.name for one in reaching(of, graph) if one.principal.name in PEOPLE}
    everybody = EVERYBODY in graph.onward
    expected = {who for who in PEOPLE if reaches(groups, hosts, logons, who)}
    assert expected == (set(PEOPLE) if everybody else found)
    unwanted = [i for i in graph.onward if i == EVERYBODY or (i >= 0 and of.principal(i).name in PEOPLE)]
    cut = smallest_cut(graph, unwanted, [])
    assert not cut.stays_open
    left = [edge for edge in graph.edges if edge not in cut.edges]
    behind, waiting = {graph.group}, [graph.group]
    while waiting:
        here = waiting.pop()
        more = {edge.holder for edge in left if edge.target == here} - behind
        behind |= more
        waiting += more
    assert not behind & set(unwanted)


HOURS, DAYS = timedelta(hours=1), timedelta(days=1)


@pytest.mark.parametrize(
    ("ago", "way", "proof"),
    [
        (9 * HOURS, "console", Proof.LIVE),
        (11 * HOURS, "remote", Proof.RENEWABLE),
        (6 * DAYS, "console", Proof.RENEWABLE),
        (8 * DAYS, "console", Proof.OLD),
        (29 * DAYS, "service", Proof.LIVE),
        (29 * DAYS, "batch", Proof.LIVE),
    ],
)
def test_a_ticket_is_proved_as_long_as_it_lives(ago: timedelta, way: str, proof: Proof) -> None:
    """Ten hours, seven days if it is renewed; what is stored for a job or a service stays."""
    assert LeftOn("S-1-5-21-1-2-3-4", "H0", NOON - ago, way).proof(NOON) == proof


def test_a_way_over_a_host_is_told_once_for_its_administrators_and_the_best_proved_first() -> None:
    """A group is one row with its people; who rules the domain leads nobody on, nor does a host only they rule."""
    groups = {"Domain Admins": ["cato"], "Crew": ["ada", "bob"], "Yard": ["eva"], "g0": ["cato"]}
    computers = dict.fromkeys(["H0", "H1", "H2"], "OU=Hosts")
    hosts = {"H0": ["Crew", "Domain Admins"], "H1": ["Domain Admins"], "H2": ["Yard", "local"]}
    of = estate(directory(["ada", "bob", "cato", "eva"], groups, computers=computers), hosts)
    left = [("cato", "H0", 3 * DAYS, "console"), ("cato", "H1", HOURS, "console"), ("cato", "H2", 2 * HOURS, "remote")]
    graph = graph_of(of, over(of, left))
    found = ways_over_hosts(of, graph)
    told = [one for one in found.told if not one.member]
    assert found.by_hosts_alone == 3
    assert [(one.principal.name, one.people, Proof(one.proof)) for one in told] == [
        ("Yard", 1, Proof.LIVE),
        ("Crew", 2, Proof.RENEWABLE),
    ]
    assert told[1].words == (
        r"LOWMERE\Crew administers LOWMERE\H0, which saw LOWMERE\cato log on at its console on 2026-11-20 12:00 UTC,"
        r" which is a member of LOWMERE\g0"
    )


def test_hosts_on_which_nothing_refuses_a_member_are_counted() -> None:
    """One that others administer and that refuses nobody; not where a member was seen, nor where all are refused."""
    groups = {"Domain Admins": ["cato"], "Crew": ["ada"], "g0": ["cato"]}
    computers = dict.fromkeys(["H0", "H1", "H2", "H3"], "OU=Hosts")
    hosts = {"H0": ["Crew"], "H1": ["Domain Admins"], "H2": ["Crew"], "H3": ["Crew"]}
    of = estate(directory(["ada", "bob", "cato"], groups, computers=computers), hosts)
    cato = Sid(str(of.principal(of.catalogue.by_name("cato")[0]).sid))
    refusing = LogonRules({way: frozenset({cato}) for way in ("console", "remote")})
    of = replace(of, hosts=[_with_logon(host, refusing) if host.name == "H3" else host for host in of.hosts])
    finder = ReachFinder(rights_of(of), over=over(of, [("cato", "H0", HOURS, "console")]))
    graph = finder.graph(of.catalogue.by_name("g0")[0])
    assert [host.name for host in finder.open_hosts(graph)] == ["H2"]
    half = replace(refusing, refused={"console": frozenset({cato})})
    of = replace(of, hosts=[_with_logon(host, half) if host.name == "H3" else host for host in of.hosts])
    finder = ReachFinder(rights_of(of), over=over(of, []))
    found = finder.open_hosts(finder.graph(of.catalogue.by_name("g0")[0]))
    assert [host.name for host in found] == ["H0", "H2", "H3"]


def _with_logon(host: Host, rules: LogonRules) -> Host:
    """The host with these refusals."""
    assert host.state is not None
    parts = {**host.state.parts, LOGON_REFUSAL.name: rules}
    return replace(host, state=replace(host.state, parts=parts))


KEPT = "msLAPS-Password"
KEPT_GUID = UUID(int=77)
RESET = standard_schema().control_rights["User-Force-Change-Password"]
READ, CONTROL = Right.READ_PROPERTY, Right.CONTROL_ACCESS


def with_entry(of: Estate, name: str, entry: Ace, details: str = "") -> Estate:
    """The estate with an object that has this entry, and these details."""
    objects = cast("Objects", of.catalogue)
    [place] = objects.by_name(name)
    packed = Descriptor(None, None, None).with_entries([entry]).to_bytes()
    rows = np.where(np.arange(objects.size) == place, 0, -1).astype(np.int32)
    told = Texts.of(details if i == place else text for i, text in enumerate(objects.details))
    return replace(of, catalogue=replace(objects, descriptors_of=rows, descriptor_bytes=(packed,), details=told))


@pytest.mark.parametrize(
    ("mask", "about", "kept", "confidential", "is_way"),
    [
        (READ | CONTROL, KEPT_GUID, True, None, True),
        (READ, KEPT_GUID, True, None, False),
        (READ, KEPT_GUID, True, frozenset[str](), True),
        (CONTROL, KEPT_GUID, True, None, False),
        (READ | CONTROL, KEPT_GUID, False, None, False),
        (READ | CONTROL, UUID(int=78), True, None, False),
        (CONTROL, RESET, False, None, True),
    ],
)
def test_a_host_is_had_by_whoever_gets_at_its_account_or_its_password(
    mask: int, about: UUID, kept: bool, confidential: frozenset[str] | None, is_way: bool
) -> None:
    """A confidential password takes two rights, and is there or not; a host that nobody gets at does not show."""
    computers = dict.fromkeys(["H0", "H1"], "OU=Hosts")
    groups = {"Domain Admins": ["cato"], "g0": ["cato"]}
    hosts = {"H0": ["Domain Admins"], "H1": ["Domain Admins"]}
    of = estate(directory(["ada", "cato"], groups, computers=computers), hosts)
    ada = Sid(str(of.principal(of.catalogue.by_name("ada")[0]).sid))
    entry = Ace(AceKind.ALLOW_OBJECT, 0, mask, ada, about)
    of = with_entry(of, "H0", entry, json.dumps({"local_passwords": [KEPT]}) if kept else "")
    rights = rights_of(of)
    schema = replace(
        rights.schema, attributes={**rights.schema.attributes, KEPT: (KEPT_GUID, None)}, confidential=confidential
    )
    seen = over(of, [("cato", "H0", HOURS, "console"), ("cato", "H1", HOURS, "console")])
    graph = ReachFinder(replace(rights, schema=schema), over=seen).graph(of.catalogue.by_name("g0")[0])
    found = {one.principal.name for one in ways_over_hosts(of, graph).told if not one.member}
    assert found == ({"ada"} if is_way else set())
    assert {of.principal(edge.holder).name for edge in graph.edges if edge.how == SEES} == ({"H0"} if is_way else set())
