"""Proposals: what they change, what they come to, and what must never be enacted."""

from datetime import UTC, date, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.access.members import hosts_per_person, members_of, members_on_host
from adzeguard.core.change.change import Change
from adzeguard.core.change.guards.all import pass_guards
from adzeguard.core.change.guards.case import Case
from adzeguard.core.change.guards.lockout import lockouts
from adzeguard.core.change.impact import impact_of
from adzeguard.core.change.kinds.add_ending_member import AddEndingMember
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.change.kinds.add_member import AddMember, RemoveMember
from adzeguard.core.change.order import in_order
from adzeguard.core.change.outlook import outlook
from adzeguard.core.charter.parse import parse_charter
from adzeguard.core.charter.resolve import ResolvedCharter, resolve_charter
from adzeguard.core.errors import GuardError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.objects import Objects
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.draft import draft_of
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.review.leased import leased_by_rules
from adzeguard.core.views.pictures import people_by_place
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.settings.charter_yaml import document_of
from tests.estates import DOMAIN, NOON, directory, estate, rights_of

OU = "OU=Kiosks"
SHUT = r"- {id: shut, hosts: {under: OU=Kiosks}, local-group: administrators, only: [LOWMERE\ben]}"


def charter_of(text: str, of: Estate) -> ResolvedCharter:
    """Rules in YAML, resolved; what says no response mends."""
    charter = parse_charter([document_of("charter: 1\nrules:\n" + text, "charter.yaml")], RULE_KINDS)
    return resolve_charter(charter, RULE_KINDS, of, date(2026, 11, 23), "mend", default_keepers(of))


def changes_of(charter: ResolvedCharter, of: Estate) -> tuple[Change, ...]:
    """What the charter would change."""
    return in_order(draft_of(corrections(rights_of(of), charter)).changes)


@pytest.mark.parametrize(
    ("admins", "disabled", "kiosk", "rules", "refused"),
    [
        pytest.param(
            ["ada"],
            ["Administrator"],
            ["Domain Admins"],
            r"- {id: none, group: LOWMERE\Domain Admins, only: []}",
            r"LOWMERE\Domain Admins would be left without a keeper",
            id="the last enabled administrator",
        ),
        pytest.param(
            ["ada"],
            [],
            ["Helpers", "ben"],
            SHUT,
            "host KIOSK-1 would be left without a keeper",
            id="a keeper who comes in through a nested group",
        ),
        pytest.param(
            ["Administrator", "ada"],
            [],
            ["Domain Admins", "ben", "cleo"],
            r"- {id: fine, hosts: {under: OU=Kiosks}, local-group: administrators, only: [LOWMERE\ben]}",
            "",
            id="the administrators group is a keeper and stays",
        ),
        pytest.param(
            ["ada"],
            ["Administrator", "ada"],
            ["Domain Admins", "ben", "cleo"],
            r"- {id: dead, hosts: {under: OU=Kiosks}, local-group: administrators, only: [LOWMERE\ben]}",
            "host KIOSK-1 would be left without a keeper",
            id="keepers without an enabled account count for nothing",
        ),
    ],
)
def test_a_proposal_that_locks_the_keepers_out_is_refused(
    admins: list[str], disabled: list[str], kiosk: list[str], rules: str, refused: str
) -> None:
    """A host or a group that controls the directory keeps an enabled keeper; the refusal names rule and place."""
    groups = {"Domain Admins": ["Administrator", *admins], "Helpers": ["ada"]}
    groups["Domain Admins"] = sorted(set(groups["Domain Admins"]))
    whole = directory(["Administrator", "ada", "ben", "cleo"], groups, disabled=disabled, computers={"KIOSK-1": OU})
    of = estate(whole, {"KIOSK-1": kiosk})
    charter = charter_of(rules, of)
    changes = changes_of(charter, of)

    assert changes
    if not refused:
        pass_guards(Case(of, changes, charter))
        return
    with pytest.raises(GuardError) as raised:
        pass_guards(Case(of, changes, charter))
    assert refused in str(raised.value)
    assert "(charter.yaml:3)" in str(raised.value)


def test_emptying_the_administrators_is_noticed_on_every_host_that_relies_on_them() -> None:
    """A change in the directory alone that leaves hosts without a keeper is refused for those hosts as well."""
    groups = {"Domain Admins": ["Administrator", "Inner"], "Inner": ["ada"]}
    whole = directory(
        ["Administrator", "ada"], groups, disabled=["Administrator"], computers={"KIOSK-1": OU, "KIOSK-2": OU}
    )
    of = estate(whole, {"KIOSK-1": ["Domain Admins"], "KIOSK-2": ["local"]})
    [inner], [ada] = whole.objects.by_name("Inner"), whole.objects.by_name("ada")
    change = RemoveMember(
        id="c1", group=Named.of(of.principal(inner)), member=Named.of(of.principal(ada)), rule="by-hand"
    )
    charter = ResolvedCharter((), (), tuple(default_keepers(of)))
    reasons = list(lockouts(Case(of, [change], charter)))

    assert any("LOWMERE\\Domain Admins would be left" in reason for reason in reasons)
    assert any("host KIOSK-1 would be left" in reason for reason in reasons)
    assert not any("KIOSK-2" in reason for reason in reasons)


def test_nobody_leans_on_a_keeper_whom_the_directory_takes_out_by_itself() -> None:
    """What ends there asks no guard: the last keeper who stays is not taken out while another is there for a time."""
    whole = directory(["Administrator", "ada"], {"Domain Admins": ["Administrator", "ada"]})
    of = estate(whole)
    named = {name: Named.of(of.principal(whole.objects.by_name(name)[0])) for name in ("Administrator", "ada")}
    admins = Named.of(of.principal(whole.objects.by_name("Domain Admins")[0]))
    about = {"group": admins, "rule": "by-hand"}
    leave = RemoveMember(id="c2", member=named["Administrator"], **about)
    end = RemoveMember(member=named["ada"], **about)
    join = AddEndingMember(id="c1", member=named["ada"], ends=datetime(2026, 12, 1, tzinfo=UTC), **about)
    charter = ResolvedCharter((), (), tuple(default_keepers(of)))

    assert not list(lockouts(Case(of, [leave], charter)))
    assert "would be left without a keeper" in next(lockouts(Case(of, [leave], charter, ending=[end])))
    alone = estate(directory(["Administrator", "ada"], {"Domain Admins": ["Administrator"]}))
    assert list(lockouts(Case(alone, [join, leave], charter)))
    assert not list(lockouts(Case(alone, [join], charter)))


LIMITS = {
    "expired": {"expires": 1},
    "without an hour": {"details": '{"logon_hours": "' + "00" * 21 + '"}'},
    "sent where there is no such host": {"details": '{"workstations": "NOWHERE-9"}'},
    "kept to a host that is none of the directory's servers": {"details": '{"workstations": "KIOSK-1"}'},
}


@pytest.mark.parametrize("limit", [*LIMITS, ""])
def test_a_keeper_who_cannot_sign_in_is_nobody_to_lean_on(limit: str) -> None:
    """The other keeper of two goes only while the one who stays can act: now, and at the directory's own servers."""
    whole = directory(
        ["Administrator", "ada"], {"Domain Admins": ["Administrator", "ada"]}, computers={"KIOSK-1": OU, "SERVER-1": OU}
    )
    limited = LIMITS.get(limit, {"details": '{"workstations": "KIOSK-1,SERVER-1"}'})
    rows = {row.name: row for _, row in whole.objects.all_rows()}
    rows["ada"] = rows["ada"]._replace(**limited)
    rows["SERVER-1"] = rows["SERVER-1"]._replace(primary_group_rid=516)
    of = Estate(NOON, DOMAIN, Objects.of_rows(list(rows.values()), DOMAIN), whole.graph)
    named = {name: Named.of(of.principal(i)) for i, name in enumerate(rows)}
    leave = RemoveMember(id="c1", group=named["Domain Admins"], member=named["Administrator"], rule="by-hand")
    charter = ResolvedCharter((), (), tuple(default_keepers(of)))

    refused = list(lockouts(Case(of, [leave], charter)))

    assert [r for r in refused if "would be left without a keeper" in r] == refused
    assert bool(refused) is bool(limit)


def test_who_is_inside_by_a_rule_up_to_a_last_day_is_nobody_to_lean_on() -> None:
    """A rule's lease gives no keeper, in a group or on a host, unless a rule lists the same person for good."""
    whole = directory(["Administrator", "ada"], {"Domain Admins": ["ada"]}, computers={"KIOSK-1": OU})
    of = estate(whole, {"KIOSK-1": ["ada", "Administrator"]})
    lease = r"group: LOWMERE\Domain Admins, include: [LOWMERE\Administrator], lease: {LOWMERE\ada: 2026-12-24}"
    on_host = r"hosts: {under: OU=Kiosks}, local-group: administrators, lease: {LOWMERE\ada: 2026-12-24}"
    charter = charter_of(f"- {{id: a, {lease}}}\n- {{id: b, {on_host}}}\n", of)
    lasting = r"- {id: c, group: LOWMERE\Domain Admins, include: [LOWMERE\ada]}"

    ends = list(leased_by_rules(of, charter))
    assert [(type(end), end.host_name, end.about.member) for end in ends] == [
        (RemoveMember, "", r"LOWMERE\ada"),
        (RemoveLocalMember, "KIOSK-1", r"LOWMERE\ada"),
    ]
    with_lasting = charter_of(f"- {{id: a, {lease}}}\n- {{id: b, {on_host}}}\n{lasting}", of)
    assert [end.host_name for end in leased_by_rules(of, with_lasting)] == ["KIOSK-1"]


def test_a_member_by_primary_group_leaves_in_three_steps() -> None:
    """Another group is listed, becomes the primary one, and only then is the entry taken out of the old one."""
    whole = directory(["Administrator", "ada"], {"Domain Admins": ["Administrator"], "Domain Users": []})
    [ada], [admins] = whole.objects.by_name("ada"), whole.objects.by_name("Domain Admins")
    rows = [row._replace(primary_group_rid=512) if i == ada else row for i, row in whole.objects.all_rows()]
    from adzeguard.core.estate.assembly import assemble
    from adzeguard.core.estate.rows import Observed

    members = {admins: ("CN=Administrator,OU=People,DC=lowmere,DC=example",)}
    of = estate(
        assemble(whole.objects.domain, [Observed(r, members.get(i, ())) for i, r in enumerate(rows)], range(len(rows)))
    )
    charter = charter_of(r"- {id: two, group: LOWMERE\Domain Admins, only: [LOWMERE\Administrator]}", of)

    assert [(c.kind, c.group.name) for c in changes_of(charter, of)] == [
        ("add-member", r"LOWMERE\Domain Users"),
        ("set-primary-group", r"LOWMERE\Domain Users"),
        ("remove-member", r"LOWMERE\Domain Admins"),
    ]


@st.composite
def proposals(draw: st.DrawFn) -> tuple[Estate, Estate, list[Change]]:
    """An estate, the estate as it is after some changes, and the changes."""
    people = [f"p{n}" for n in range(6)]
    names = ["g0", "g1", "g2", "g3"]
    before = {
        g: sorted(draw(st.sets(st.sampled_from([*people, *(n for n in names if n != g)]), max_size=4))) for g in names
    }
    hosts = {f"H{n}": sorted(draw(st.sets(st.sampled_from([*people, *names, "local"]), max_size=4))) for n in range(4)}
    computers = dict.fromkeys(hosts, OU)
    distribution = draw(st.sets(st.sampled_from(names), max_size=1))
    old = estate(directory(people, before, computers=computers, distribution=distribution), hosts)
    after, hosts_after, changes = {g: list(m) for g, m in before.items()}, {h: list(m) for h, m in hosts.items()}, []
    for number in range(draw(st.integers(1, 5))):
        target = draw(st.sampled_from([*names, *hosts]))
        lists = after if target in after else hosts_after
        member = draw(st.sampled_from([*people, *names]))
        if member == target or (
            target in names
            and number
            and any(c.group.name.endswith(target) and c.member.name.endswith(member) for c in changes)
        ):
            continue
        removes = member in lists[target]
        if any(
            c.group.name == f"LOWMERE\\{target}" or c.host_name == target
            for c in changes
            if c.member.name == f"LOWMERE\\{member}"
        ):
            continue
        lists[target].remove(member) if removes else lists[target].append(member)
        [found] = old.catalogue.by_name(member)
        group = Named(name="administrators", sid=ADMINISTRATORS)
        if target in names:
            [of_directory] = old.catalogue.by_name(target)
            group = Named.of(old.principal(of_directory))
        about = {"id": f"c{number}", "group": group, "member": Named.of(old.principal(found)), "rule": "r"}
        if target in hosts:
            changes.append((RemoveLocalMember if removes else AddLocalMember)(**about, host=target))
        else:
            changes.append((RemoveMember if removes else AddMember)(**about))
    new = estate(directory(people, after, computers=computers, distribution=distribution), hosts_after)
    return old, new, changes


@given(proposals())
def test_the_impact_is_the_difference_between_before_and_after(
    drawn: tuple[Estate, Estate, list[Change]],
) -> None:
    """Gains and losses, of groups and of hosts, equal those seen by looking at both estates in full."""
    old, new, changes = drawn
    impact = impact_of(old, changes, outlook(old, changes))
    gains, loses = {}, {}
    for name in ("g0", "g1", "g2", "g3"):
        [group] = old.catalogue.by_name(name)
        if not old.graph.grants_access(group):
            continue
        was, will = (
            {a.principal.qualified_name for a in members_of(e, e.principal(group)) if a.principal.is_person}
            for e in (old, new)
        )
        if was != will:
            gains[rf"LOWMERE\{name}"], loses[rf"LOWMERE\{name}"] = will - was, was - will
    on_hosts = {}
    for before, after in zip(old.hosts, new.hosts, strict=True):
        was, will = (
            {a.principal.qualified_name for a in members_on_host(e, h) if a.principal.id >= 0 and a.principal.is_person}
            for e, h in ((old, before), (new, after))
        )
        for person in was ^ will:
            gained, lost = on_hosts.get(person, (0, 0))
            on_hosts[person] = (gained + (person in will), lost + (person in was))

    # What mail a distribution group delivers is no access.
    distribution = {
        p.qualified_name for p in old.catalogue.principals(old.graph.group_ids[~old.graph.security]).values()
    }
    access = [g for g in impact.groups if g.group not in distribution]
    assert {g.group: set(g.gains) for g in access} == gains
    assert {g.group: set(g.loses) for g in access} == loses
    assert {p.person: (p.gains_hosts, p.loses_hosts) for p in impact.people} == on_hosts


@given(proposals())
def test_hosts_of_each_person_are_those_where_they_are_found(drawn: tuple[Estate, Estate, list[Change]]) -> None:
    """Counting hosts by class gives what looking at each host gives."""
    of, _, _ = drawn
    expected: dict[int, int] = {}
    for host in of.hosts:
        for access in members_on_host(of, host):
            if access.principal.is_person and access.principal.id >= 0:
                expected[access.principal.id] = expected.get(access.principal.id, 0) + 1

    assert hosts_per_person(of) == expected
    drawn_by_place: dict[str, int] = {}
    for (person, _), count in people_by_place(of, 100).counts.items():
        drawn_by_place[person] = drawn_by_place.get(person, 0) + count
    assert drawn_by_place == {of.principal(person).qualified_name: count for person, count in expected.items()}
