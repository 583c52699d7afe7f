"""Many sources of hosts in one workspace: who looks after what, and what nobody looks after."""

import shutil

import pytest

from tests.program import Program

PARTS = """
[hosts.kiosks]
kind = "standin"
folder = "kiosks"
under = "OU=Ticket Kiosks,OU=Hosts"
except = ["KIOSK-0*"]

[hosts.others]
kind = "standin"
folder = "others"
named = ["CONSOLE-*", "HARBOUR-*", "KIOSK-01"]
"""


@pytest.fixture
def in_parts(demo: Program) -> Program:
    """The demo, whose hosts are looked after in two parts, less the laptops and eight of the kiosks."""
    settings = demo.folder / "adzeguard.toml"
    before = settings.read_text()
    at = before.index("[hosts]")
    settings.write_text(before[:at] + PARTS + before[before.index("\n[", at + 1) :])
    for folder in ("kiosks", "others"):
        shutil.copytree(demo.folder / "hosts", demo.folder / folder)
    (demo.folder / "others/HARBOUR-01.json").unlink()
    return demo


def test_each_host_is_reached_through_the_first_source_that_takes_it(in_parts: Program) -> None:
    """What no source takes or knows is listed by collect, by the list of hosts and by check, and never left out."""
    collected = in_parts("collect")
    assert "Of no source of hosts (" in collected.err
    listed = {row["name"]: row for row in in_parts("hosts", "list", "--format", "json").json}
    assert {name: listed[name]["source"] for name in ("KIOSK-10", "KIOSK-01", "CONSOLE-01")} == {
        "KIOSK-10": "kiosks",
        "KIOSK-01": "others",
        "CONSOLE-01": "others",
    }
    nowhere = {name for name, row in listed.items() if not row["source"]}
    assert {"KIOSK-02", "HARBOUR-01", "LAPTOP-01"} <= nowhere
    assert {listed[name]["trouble"] for name in nowhere} == {"no source takes it"}
    assert set(listed["KIOSK-10"]["capabilities"]) == {
        "elevation",
        "local-groups",
        "logon-refusal",
        "notice",
        "own-accounts",
    }
    assert listed["KIOSK-10"]["read_at"].startswith("20")
    found = {f["subject"] for f in in_parts("check", "--format", "json").json if f["check"] == "host-without-source"}
    assert found == nowhere
    refused = in_parts("who", "--on", "LAPTOP-01")
    assert "nothing is known of LAPTOP-01: no source of hosts takes it" in refused.err
    few = {row["name"] for row in in_parts("hosts", "list", "--source", "kiosks", "--trouble", "--format", "json").json}
    assert few == {"KIOSK-22"}


def test_changes_go_to_the_source_of_the_host_and_nowhere_else(in_parts: Program) -> None:
    """What is proposed for a host is written through its own source, and undone there."""
    in_parts("collect")
    folders = [in_parts.folder / name for name in ("hosts", "kiosks", "others")]
    before = [{p.name: p.read_text() for p in sorted(folder.glob("*.json"))} for folder in folders]
    enacted = in_parts("enact", "--also", "console-wardens", "--yes", "--format", "json").json
    on_hosts = {row["target"]: row["status"] for row in enacted if row["target"] != "directory"}
    assert "verified" in on_hosts.values()
    after = [{p.name: p.read_text() for p in sorted(folder.glob("*.json"))} for folder in folders]
    written = [{name for name in was if was[name] != now[name]} for was, now in zip(before, after, strict=True)]
    assert written[0] == set()
    assert all(name.startswith(("KIOSK-1", "KIOSK-2")) for name in written[1])
    assert all(name.startswith(("CONSOLE", "HARBOUR", "KIOSK-01")) for name in written[2])
    assert written[1]
    assert {f"{host}.json" for host, status in on_hosts.items() if status == "verified"} == written[1] | written[2]


def test_a_connection_is_tried_step_by_step(in_parts: Program) -> None:
    """It says what works and what is in the way, and ends with 3 there; nothing is changed."""
    in_parts("collect")
    works = in_parts("hosts", "test", "KIOSK-10", "--format", "json")
    assert works.code == 0
    assert [(row["step"], row["works"]) for row in works.json[:2]] == [("source", True), ("read", True)]
    off = in_parts("hosts", "test", "KIOSK-22", "--format", "json")
    assert (off.code, off.json[-1]["step"], off.json[-1]["works"]) == (3, "read", False)
    assert "Is it switched on?" in off.json[-1]["said"]
    nobody = in_parts("hosts", "test", "LAPTOP-01", "--format", "json")
    assert nobody.json[-1]["said"].startswith("no source of hosts takes it")


def test_a_workspace_is_made_with_its_sources_of_hosts(demo: Program) -> None:
    """What is said at the start is checked by the drivers, and stands as it can be read; each driver says its keys."""
    known = {(row["driver"], row["key"]): row["needed"] for row in demo("hosts", "drivers", "--format", "json").json}
    assert (known["standin", "folder"], known["ssh", "account"], known["ssh", "key"]) == (True, True, False)
    assert {driver for driver, _ in known} == {"local", "remote-sam", "ssh", "standin"}
    quay = "standin folder=hosts 'under=OU=Quay;OU=Ticket Kiosks,OU=Hosts' except=KIOSK-0*"
    consoles = "standin folder=hosts named=CONSOLE-*"
    assert demo("init", "w", "--ldif", "lowmere.ldif", "--hosts", quay, "--hosts", consoles).code == 0
    demo("collect", "--workspace", "w")
    listed = {row["name"]: row["source"] for row in demo("hosts", "list", "--workspace", "w", "--format", "json").json}
    assert (listed["QUAY-01"], listed["KIOSK-10"], listed["CONSOLE-01"]) == ("standin", "standin", "standin2")
    assert (listed["KIOSK-01"], listed["LAPTOP-01"]) == (None, None)
    for said, hint in (("ssh acount=x", "did you mean account?"), ("shs", "Did you mean ssh?"), ("ssh x", "KEY=VALUE")):
        refused = demo("init", "v", "--ldif", "lowmere.ldif", "--hosts", said)
        assert hint in refused.err
        assert not (demo.folder / "v").exists()
