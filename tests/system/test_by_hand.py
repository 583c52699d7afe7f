"""Memberships changed by hand: the same road, the same guards, the same journal."""

import pytest

from tests.program import Program


def outcomes(program: Program, *arguments: str) -> dict[tuple[str, str], str]:
    """Run a command of groups; what became of each membership."""
    ran = program("group", *arguments, "--yes", "--format", "json")
    assert ran.code == 0, ran.err
    return {(o["group"].partition("\\")[2], o["member"].partition("\\")[2]): o["status"] for o in ran.json}


def test_people_go_into_groups_and_out_from_either_side(demo: Program) -> None:
    """One group and several members, one member and several groups: each is one verified change with its reason."""
    assert outcomes(demo, "add", "First Aiders", "orla.fenn", "yorick.tarn", "--why", "course passed") == {
        ("First Aiders", "orla.fenn"): "verified",
        ("First Aiders", "yorick.tarn"): "verified",
    }
    assert outcomes(demo, "join", "yorick.tarn", "Radio Watch", r"LOWMERE\Port Agents").keys() == {
        ("Radio Watch", "yorick.tarn"),
        ("Port Agents", "yorick.tarn"),
    }
    assert outcomes(demo, "leave", "yorick.tarn", "Radio Watch") == {("Radio Watch", "yorick.tarn"): "verified"}
    assert outcomes(
        demo, "remove", "First Aiders", "orla.fenn", "cn=Yorick Tarn,OU=Booking Office,OU=People"
    ).keys() == {
        ("First Aiders", "orla.fenn"),
        ("First Aiders", "yorick.tarn"),
    }
    shown = demo("show", "yorick.tarn", "--format", "json").json["member_of"]
    assert r"LOWMERE\Port Agents" in shown
    assert not {r"LOWMERE\Radio Watch", r"LOWMERE\First Aiders"} & set(shown)
    rows = demo("journal", "--format", "json").json
    assert rows[1]["body"]["change"]["why"] == "course passed"
    assert {r["body"]["change"]["rule"] for r in rows if r["kind"] == "intent"} == {"by-hand"}
    assert demo("undo", "--since", "1h", "--yes").out.startswith(("Nothing", "1 change"))
    assert r"LOWMERE\Port Agents" not in demo("show", "yorick.tarn", "--format", "json").json["member_of"]


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["add", "Booking Supervisors", "Ledger Archive"], "is global and cannot hold"),
        (["add", "North Quay Rota", "Payroll Readers"], "make the outer group domain local"),
        (["add", "Payroll Readers", r"BUILTIN\Users"], "is built in, and no group may hold it"),
        (["add", "First Aiders", "First Aiders"], "cannot be a member of itself"),
        (["add", "First Aiders", "OU=Quay"], "groups hold accounts and groups"),
        (["join", "orla.fenn", "mira.holt"], "is a user, not a group"),
        (
            [
                "remove",
                "Domain Admins",
                "Administrator",
                "isolde.varn.adm",
                "tobin.asker.adm",
                "cato.lune",
                "Directory Stewards",
                "mira.holt.adm",
            ],
            "would be left without a keeper",
        ),
        (["copy-memberships", "--from", "zzyzx", "--to", "yorick.tarn"], "adzeguard find"),
    ],
)
def test_what_must_not_be_is_refused_with_the_right_way(demo: Program, arguments: list[str], said: str) -> None:
    """Wrong nestings, wrong kinds and lockouts end before the directory is asked, and change nothing."""
    before = (demo.folder / "lowmere.ldif").read_bytes()
    ran = demo("group", *arguments, "--yes")

    assert ran.code in (1, 2)
    assert said in ran.err
    assert (demo.folder / "lowmere.ldif").read_bytes() == before


def test_what_is_so_already_is_said_and_is_no_change(demo: Program) -> None:
    """Adding a member and removing a stranger change nothing and say why."""
    again = demo("group", "add", "Night Watch", "orla.fenn", "--yes")
    assert (again.code, "is a member already" in again.out) == (0, True)
    stranger = demo("group", "remove", "Domain Admins", "orla.fenn", "--yes")

    assert "is inside through other groups only" in stranger.out
    assert demo("journal", "--format", "json").json == []


def test_copied_memberships_leave_the_powerful_ones_out(demo: Program) -> None:
    """Groups that give power in any way are not copied but named, unless asked for; patterns choose among the rest."""
    copy = ("group", "copy-memberships", "--from", "hedda.morrow", "--to", "yorick.tarn")
    ran = demo(*copy, "--except", "*supervisors", "--yes", "--format", "json")
    assert [o["group"].partition("\\")[2] for o in ran.json] == ["Timetable Editors"]
    assert r"Left out: LOWMERE\Booking Office Leads leads by its rights into LOWMERE\Domain Admins" in ran.err
    unnamed = demo(*copy, "--only", "none", "--privileged", "Booking Office Leads", "--yes")
    assert (unnamed.code, "Give --new-reach 1 if" in unnamed.err) == (1, True), unnamed.err
    ran = demo("group", "copy-memberships", "--from", "roan.pell", "--to", "yorick.tarn", "--yes", "--format", "json")
    assert "LOWMERE\\Service Desk leads by its rights into LOWMERE\\Domain Admins" in ran.err
    assert "administers" in ran.err
    assert outcomes(
        demo, "copy-memberships", "--from", "orla.fenn", "--to", "yorick.tarn", "--only", "*Watch", "--only", "Chart*"
    ).keys() == {("Chart Editors", "yorick.tarn")}
    named = outcomes(
        demo,
        "copy-memberships",
        "--from",
        "orla.fenn",
        "--to",
        "yorick.tarn",
        "--only",
        "none",
        "--privileged",
        "Night Watch",
        "--new-reach",
        "1",
    )

    assert named == {("Night Watch", "yorick.tarn"): "verified"}


def test_leftovers_of_a_former_job_are_suggested(demo: Program) -> None:
    """Somebody who moved is shown the groups that no colleague in the new place has."""
    found = demo("group", "leftovers", "dessa.calder", "--format", "json")

    assert found.code == 3
    assert {"Booking Office Staff", "Ticketing Ledger", "Timetable Editors"} <= {f["name"] for f in found.json}
    assert "Shore Office Staff" not in {f["name"] for f in found.json}
    assert "has no department" in demo("group", "leftovers", "glass.one").err
