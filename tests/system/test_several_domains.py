"""Two domains in one workspace: names, members across, rights, what is silent, and hosts of one name."""

from random import Random

import pytest

from tests.program import Program, naming_numbers
from tests.system.second_domain import second_domain

LOCAL = r"LOWMERE\Chart Readers"


@pytest.fixture
def both(demo: Program) -> Program:
    """The demo's domain, and ISLE beside it."""
    second_domain(demo.folder / "lowmere.ldif", demo.folder / "isle.ldif")
    with (demo.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[directory.isle]\nkind = "ldif"\nfile = "isle.ldif"\n')
    assert demo("collect").code == 4  # two hosts do not answer
    return demo


def inside(program: Program, group: str) -> set[str]:
    """Who is inside a group, by name."""
    return {row["qualified_name"] for row in program("who", group, "--format", "json").json}


def people(program: Program, group: str) -> set[str]:
    """The accounts among them."""
    rows = program("who", group, "--format", "json").json
    return {row["qualified_name"] for row in rows if row["kind"] == "user" and row["enabled"]}


def test_names_say_their_domain(both: Program) -> None:
    """A bare name is the first domain's; built-in groups of the other are its own, and nobody is taken for another."""
    assert both("show", "ivo.drake", "--format", "json").json["qualified_name"] == r"LOWMERE\ivo.drake"
    for name in (
        r"ISLE\ivo.drake",
        "ivo.drake@isle.example",
        "CN=Ivo Drake,OU=Booking Office,OU=People,DC=isle,DC=example",
    ):
        assert both("show", name, "--format", "json").json["qualified_name"] == r"ISLE\ivo.drake"
    here, there = inside(both, r"BUILTIN\Administrators"), inside(both, r"ISLE\Administrators")
    assert {name.replace("LOWMERE", "ISLE") for name in here} == there
    assert not here & there
    assert "there is no domain 'REEF' here" in both("who", r"REEF\zyx").err
    rulers = {row["group"] for row in both("status", "--format", "json").json["privileged"]}
    assert {r"LOWMERE\Domain Admins", r"ISLE\Domain Admins", r"ISLE\Administrators"} < rulers


def test_somebody_of_the_other_domain_is_put_in_and_taken_out(both: Program) -> None:
    """Their group gets a placeholder in its own domain alone, as a server makes it; scopes refuse what cannot be."""
    files = [both.folder / name for name in ("lowmere.ldif", "isle.ldif")]
    before = [path.read_bytes() for path in files]
    assert both("group", "add", LOCAL, r"ISLE\ivo.drake", r"ISLE\Night Watch", "--yes").code == 0
    assert b"CN=S-1-5-21-9-" in files[0].read_bytes()
    assert files[1].read_bytes() == before[1]
    everybody = inside(both, LOCAL)
    assert {r"ISLE\ivo.drake", r"ISLE\Night Watch", *inside(both, r"ISLE\Night Watch")} <= everybody
    for words in (("collect",), ("collect", "--full"), ("collect", "--only", "ISLE")):
        assert both(*words).code == 4
        assert inside(both, LOCAL) == everybody
    refused = both("group", "add", "Domain Admins", r"ISLE\ivo.drake", "--yes")
    assert (refused.code, "no global group may hold it" in refused.err) == (1, True)
    assert both("undo", "--last", "--yes").code == 0
    assert inside(both, LOCAL) == everybody - {
        r"ISLE\ivo.drake",
        r"ISLE\Night Watch",
        *inside(both, r"ISLE\Night Watch"),
    }


def test_who_rules_one_domain_does_not_rule_the_other(both: Program) -> None:
    """A right of theirs over there is told, found and led back; over their own domain it goes without saying."""
    given = both("grant", "give", r"ISLE\Domain Admins", "group-membership", "--over", LOCAL, "--yes")
    assert given.code == 0, given.err
    assert any(row["holder"] == r"ISLE\Domain Admins" for row in both("grant", "list", "--format", "json").json)
    found = both("check", "--where", "check=foreign-rights", "--format", "json").json
    assert [row["member"] for row in found] == [r"ISLE\Domain Admins group-membership"]
    reaching = {row["qualified_name"] for row in both("reach", LOCAL, "--format", "json").json}
    assert people(both, r"ISLE\Domain Admins") < reaching
    may = {row["qualified_name"] for row in both("may", "--who", "write:member", LOCAL, "--format", "json").json}
    assert people(both, r"ISLE\Domain Admins") <= may
    assert r"ISLE\isolde.varn.adm" not in {
        row["qualified_name"] for row in both("may", "--who", "write:member", "Night Watch", "--format", "json").json
    }


def test_a_right_of_a_built_in_group_is_written_as_its_domain_knows_it(both: Program) -> None:
    """ISLE's own Account Operators, given something over there: the file says S-1-5-32-548, and undo takes it back."""
    isle = both.folder / "isle.ldif"
    before = isle.read_bytes()
    words = (r"ISLE\Account Operators", "group-membership", "--over", r"ISLE\Night Watch", "--yes")
    assert both("grant", "give", *words).code == 0
    assert isle.read_bytes() != before
    assert both("collect", "--full").code == 4
    held = {row["holder"] for row in both("grant", "list", "--over", r"ISLE\Night Watch", "--format", "json").json}
    assert r"ISLE\Account Operators" in held
    (both.folder / "alone/charter").mkdir(mode=0o700, parents=True)
    (both.folder / "alone/charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    (both.folder / "alone/adzeguard.toml").write_text('[directory]\nkind = "ldif"\nfile = "../isle.ldif"\n')
    isle_alone = Program(both.folder / "alone")
    assert isle_alone("collect").code == 0
    grants = isle_alone("grant", "list", "--over", "Night Watch", "--format", "json").json
    assert (r"BUILTIN\Account Operators", "S-1-5-32-548") in [(row["holder"], row["holder_sid"]) for row in grants]
    assert both("undo", "--last", "--yes").code == 0
    assert r"ISLE\Account Operators" not in both("grant", "list", "--over", r"ISLE\Night Watch").out


def test_a_domain_that_cannot_be_read_stays_as_it_was(both: Program) -> None:
    """That is said and ends with 4; nothing is written there, and what is the other's is done."""
    isle = both.folder / "isle.ldif"
    isle.rename(both.folder / "away")
    for words in (("collect",), ("collect", "--full")):
        silent = both(*words)
        assert (silent.code, "is known as it was read before: isle: " in silent.err) == (4, True)
        assert r"ISLE\ivo.drake" in both("find", "ivo.drake").out
    steps = {row["step"]: row["works"] for row in both("settings", "check", "--format", "json").json}
    assert (steps["directory"], steps["directory.isle"]) == (True, False)
    assert both("group", "add", r"ISLE\Night Watch", r"ISLE\ivo.drake", "--yes").code == 1
    assert both("group", "add", LOCAL, r"LOWMERE\ivo.drake", "--yes").code == 0
    (both.folder / "away").rename(isle)
    assert "objects that" not in both("collect", "--only", "isle").err
    assert "there is no domain 'reef'" in both("collect", "--only", "reef").err
    settings = both.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().split("\n[directory.isle]")[0])
    assert both("collect").code == 4
    assert r"ISLE\ivo.drake" not in both("find", "ivo.drake").out
    assert "this workspace has one" in both("collect", "--only", "isle").err


def test_what_is_put_away_stays_in_its_domain(both: Program) -> None:
    """Into the OU of its own domain, and back from there."""
    for name in (r"ISLE\ivo.drake", r"LOWMERE\ivo.drake"):
        away = naming_numbers(both, "retire", name, "--why", "tried", "--yes")
        assert away.code == 0, away.err
    places = {row["name"]: row["dn"] for row in both("retire", "list", "--format", "json").json}
    assert places[r"ISLE\ivo.drake"].endswith("OU=Retired,DC=isle,DC=example")
    assert places[r"LOWMERE\ivo.drake"].endswith("OU=Retired,DC=lowmere,DC=example")
    assert naming_numbers(both, "retire", "restore", r"ISLE\ivo.drake", "--yes").code == 0
    assert "OU=Booking Office" in both("show", r"ISLE\ivo.drake").out


def test_hosts_of_one_name_are_not_taken_for_each_other(both: Program) -> None:
    """The first domain's are looked after; the other's are named, and nothing is said of them."""
    said = both("collect").err
    assert "a host of another domain has the same name (64)" in said
    hosts = both("hosts", "list", "--format", "json").json
    assert len({row["name"] for row in hosts if row["source"]}) == sum(bool(row["source"]) for row in hosts) > 60
    doors = {row["person"] for row in both("doors", "KIOSK-07", "--format", "json").json}
    assert not any(name.startswith("ISLE") for name in doors)


def test_random_members_across_are_those_that_the_files_list(both: Program) -> None:
    """Forty changes by hand over both domains: each group holds exactly them, and undo leaves nothing of any."""
    lot = Random(4)
    names = [row["name"] for row in both("find", "--kind", "user", "a", "--format", "json").json][:20]
    groups = [LOCAL, r"LOWMERE\Payroll Readers", r"ISLE\Chart Readers", r"ISLE\Payroll Readers"]
    before = {group: inside(both, group) for group in groups}
    wanted = {group: set(members) for group, members in before.items()}
    for group in groups:
        several = {rf"{lot.choice(('LOWMERE', 'ISLE'))}\{name}" for name in lot.sample(names, 8)} - before[group]
        added = both("group", "add", group, *sorted(several), "--yes")
        assert added.code == 0, added.err
        out_again = set(lot.sample(sorted(several), 2))
        assert both("group", "remove", group, *sorted(out_again), "--yes").code == 0
        wanted[group] |= several - out_again
    assert {group: inside(both, group) for group in groups} == wanted
    both("collect", "--full")
    assert {group: inside(both, group) for group in groups} == wanted
    undone = naming_numbers(both, "undo", "--since", "1h", "--yes")
    assert undone.code == 0, undone.err
    assert {group: inside(both, group) for group in groups} == before
