"""A host's own groups and accounts: by hand and by rules, and what a check says of them."""

import json
from typing import Any

import pytest

from tests.program import Json, Program


def host(program: Program, name: str, **values: Any) -> dict[str, Any]:
    """Return what a host's file says, after setting some of it."""
    path = program.folder / f"hosts/{name}.json"
    content: dict[str, Any] = json.loads(path.read_text())
    if values:
        content |= values
        path.write_text(json.dumps(content, indent=1) + "\n")
    return content


def with_account(program: Program, name: str, account: str, *, enabled: bool = True) -> None:
    """Give a host another account of its own."""
    content = host(program, name)
    one = {"name": account, "sid": f"{content['machine_sid']}-1077", "enabled": enabled}
    host(program, name, accounts=[*content["accounts"], one])


def enabled(program: Program, name: str) -> set[str]:
    """The accounts of a host that can be used."""
    return {account["name"] for account in host(program, name)["accounts"] if account["enabled"]}


def charter(program: Program, rule: str) -> None:
    """A charter of one rule that is mended."""
    (program.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n- id: own\n  response: mend\n{rule}")


def told(program: Program, check: str) -> list[Json]:
    """The findings of one check."""
    return [f for f in program("check", "--format", "json").json if f["check"] == check]


def test_local_groups_are_changed_by_hand_and_undone(demo: Program) -> None:
    """Members of the directory and of the host, by the name that every host knows or its own; verified, and undone."""
    before = host(demo, "KIOSK-07")
    assert demo("group", "remove", "--on", "KIOSK-07", "administrators", r"local\fitter", "--yes").code == 0
    assert (
        demo("group", "add", "--on", "kiosk-07", "Remote Desktop Users", "orla.fenn", r"local\fitter", "--yes").code
        == 0
    )
    groups = {group["name"]: group["members"] for group in host(demo, "KIOSK-07")["local_groups"]}
    fitter = next(a["sid"] for a in before["accounts"] if a["name"] == "fitter")
    assert fitter not in groups["Administrators"]
    assert fitter in groups["Remote Desktop Users"]
    shown = demo("group", "add", "--on", "KIOSK-07", "remote-desktop-users", "orla.fenn", "--yes")
    assert (shown.code, "is a member already" in shown.out) == (0, True)
    begun = [row["enactment"] for row in demo("journal", "--format", "json").json if row["kind"] == "begin"]
    for enactment in reversed(begun):
        assert demo("undo", enactment, "--yes").code == 0
    assert host(demo, "KIOSK-07") == before


def test_a_group_of_the_host_is_made_filled_deleted_and_had_again(demo: Program) -> None:
    """Deleted with its members, and undone it has them again; what every host has is neither made nor deleted."""
    assert demo("group", "create", "--on", "KIOSK-01", "Till Repair", "--yes").code == 0
    assert demo("group", "add", "--on", "KIOSK-01", "till repair", "orla.fenn", "--yes").code == 0
    deleted = demo("group", "delete", "--on", "KIOSK-01", "Till Repair", "--yes", "--format", "json")
    assert [row["status"] for row in deleted.json] == ["verified"]
    assert "Till Repair" not in {group["name"] for group in host(demo, "KIOSK-01")["local_groups"]}
    assert demo("undo", "--last", "--yes").code == 0
    again = next(group for group in host(demo, "KIOSK-01")["local_groups"] if group["name"] == "Till Repair")
    assert len(again["members"]) == 1
    for name, said in [
        ("Administrators", "KIOSK-01 has a local group Administrators already"),
        ("power/users", "cannot be the name of a local group"),
        ("remote-desktop-users", "every host has its remote-desktop-users"),
    ]:
        refused = demo("group", "create", "--on", "KIOSK-01", name, "--yes")
        assert (refused.code, said in refused.err) == (1, True), refused.err
    kept = demo("group", "delete", "--on", "KIOSK-01", "administrators", "--yes")
    assert (kept.code, "that one is not made or deleted" in kept.err) == (1, True)


def test_an_account_of_the_host_is_disabled_and_enabled(demo: Program) -> None:
    """By its name, the built-in ones by the names they have everywhere; where it cannot be, the reason is said."""
    assert demo("account", "disable", "--on", "KIOSK-07", "fitter", "--yes").code == 0
    assert enabled(demo, "KIOSK-07") == {"administrator"}
    assert demo("undo", "--last", "--yes").code == 0
    assert enabled(demo, "KIOSK-07") == {"administrator", "fitter"}
    assert "did you mean 'fitter'?" in demo("account", "disable", "--on", "KIOSK-07", "fiter", "--yes").err
    refused = demo("account", "disable", "--on", "CONSOLE-01", "administrator", "--yes")
    assert (refused.code, "unsupported: CONSOLE-01 has no own-accounts" in refused.err) == (1, True)


def test_the_last_way_into_a_host_is_not_disabled(demo: Program) -> None:
    """Where no keeper administers a host, its own administrator stays enabled, by hand and by rule."""
    lonely = host(demo, "KIOSK-03")
    groups = [
        g | {"members": [f"{lonely['machine_sid']}-500"]} if g["name"] == "Administrators" else g
        for g in lonely["local_groups"]
    ]
    host(demo, "KIOSK-03", local_groups=groups)
    demo("collect")
    refused = demo("account", "disable", "--on", "KIOSK-03", "administrator", "--yes")
    assert refused.code == 1
    assert "no keeper could log on any more at host KIOSK-03" in refused.err
    charter(demo, "  hosts: {named: [KIOSK-03, KIOSK-04]}\n  local-accounts: {disabled: 'local\\administrator'}\n")
    assert "host KIOSK-03" in demo("enact", "--yes").err
    assert enabled(demo, "KIOSK-04") == {"administrator"}


def test_accounts_that_a_rule_does_not_let_are_disabled_and_come_back_with_it(demo: Program) -> None:
    """Named ones, or all but named ones; what a host has not is no trouble; withdrawn, they are as before."""
    with_account(demo, "KIOSK-01", "fitter")
    with_account(demo, "KIOSK-02", "setup")
    demo("collect")
    charter(
        demo,
        "  hosts: {under: 'OU=Ticket Kiosks,OU=Hosts'}\n"
        "  local-accounts: {disabled: ['local\\fitter', 'local\\guest']}\n",
    )
    assert {f["member"] for f in told(demo, "local-account-enabled")} == {r"KIOSK-01\fitter", r"KIOSK-07\fitter"}
    assert {row["status"] for row in demo("enact", "--yes", "--format", "json").json} == {"verified"}
    assert enabled(demo, "KIOSK-01") == {"administrator"}
    charter(demo, "  hosts: {named: [KIOSK-01, KIOSK-02]}\n  local-accounts: {enabled-only: 'local\\administrator'}\n")
    assert demo("enact", "--yes").code == 0
    assert (enabled(demo, "KIOSK-02"), enabled(demo, "KIOSK-07")) == ({"administrator"}, {"administrator", "fitter"})
    where = {
        row["host"]: (row["decides"], row["standing"])
        for row in demo("charter", "where", "own", "--format", "json").json
    }
    assert where == {"KIOSK-01": ("decides", "yes"), "KIOSK-02": ("decides", "yes")}
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\n")
    assert demo("enact", "--yes").code == 0
    assert enabled(demo, "KIOSK-01") == {"administrator", "fitter"}
    assert enabled(demo, "KIOSK-02") == {"administrator", "setup"}
    assert "Nothing to change" in demo("propose").out


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        (r"{disabled: 'LOWMERE\orla.fenn'}", "is of the directory, and here are accounts of a host itself"),
        ("{}", "says nothing: give disabled or enabled-only"),
        (r"{disabled: 'local\a', enabled-only: 'local\A'}", r"both lets and disables local\a"),
    ],
)
def test_a_mistake_in_such_a_rule_is_told(demo: Program, rule: str, said: str) -> None:
    """In one line, with file and line."""
    charter(demo, f"  hosts: {{everywhere: true}}\n  local-accounts: {rule}\n")
    ran = demo("charter", "lint")
    assert said in " ".join((ran.out + ran.err).split())


def test_accounts_that_are_everywhere_and_guests_are_told(demo: Program) -> None:
    """One finding for one name on many hosts, one for each guest, and none for what is disabled."""
    for name in ("KIOSK-01", "KIOSK-02", "LAPTOP-01"):
        with_account(demo, name, "Setup", enabled=name != "LAPTOP-01")
    content = host(demo, "KIOSK-04")
    host(demo, "KIOSK-04", accounts=[a | {"enabled": True} for a in content["accounts"]])
    demo("collect")
    assert told(demo, "shared-local-account") == []
    assert [f["subject"] for f in told(demo, "guest-enabled")] == [r"KIOSK-04\guest"]
    with_account(demo, "LAPTOP-02", "setup")
    demo("collect")
    (shared,) = told(demo, "shared-local-account")
    assert shared["evidence"]["hosts"] == ["KIOSK-01", "KIOSK-02", "LAPTOP-02"]


@pytest.mark.parametrize(
    ("stranger", "check"),
    [("S-1-5-21-7-7-7-4711", "foreign-member"), ("S-1-5-21-2874019363-1145201871-3300671429-9999", "dangling-member")],
)
def test_a_sid_without_a_name_is_told_in_every_local_group(demo: Program, stranger: str, check: str) -> None:
    """Not only among the administrators: somebody of another domain, and one of this domain who is gone."""
    content = host(demo, "LAPTOP-03")
    groups = [
        g | {"members": [*g["members"], stranger]} if "Remote" in g["name"] else g for g in content["local_groups"]
    ]
    host(demo, "LAPTOP-03", local_groups=groups)
    demo("collect")
    found = {(f["subject"], f["evidence"]["member_sid"]) for f in told(demo, check)}
    assert (r"LAPTOP-03\remote-desktop-users", stranger) in found


def test_hosts_without_any_rule_and_hosts_that_are_silent_for_long_are_told(demo: Program) -> None:
    """The first as a note; the second once the days of the workspace have passed."""
    without = {f["subject"] for f in told(demo, "host-without-rule")}
    assert without == {f"HARBOUR-{n:02}" for n in range(1, 11)}
    host(demo, "HARBOUR-01", behaviour={"offline": True})
    demo("collect")
    assert told(demo, "host-long-unread") == []
