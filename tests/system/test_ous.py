"""OUs looked at: all of them, and one in full."""

from tests.program import Program


def test_an_ou_in_full(demo: Program) -> None:
    """What lies in it, its protection, what is granted there, the rules that hold and why, the policies linked."""
    shown = demo("show", "OU=Quay", "--format", "json").json
    assert shown["holds"] == {"computer": 2}
    assert (shown["protected"], len(shown["granted"])) == (False, 1)
    assert "Contractors may create computer" in shown["granted"][0]
    assert shown["rules"] == [{"rule": "closed-until-moved", "because": "hosts under OU=Quay", "response": "tell"}]
    assert shown["policy_links"] == [{"policy": "Quay Notice", "enabled": True, "enforced": False}]
    assert demo("show", shown["dn"], "--format", "json").json == shown
    assert demo("ou", "protect", "OU=Quay", "--yes").code == 0
    assert demo("show", "OU=Quay", "--format", "json").json["protected"] is True
    assert demo("show", "OU=Nowhere").code == 2


def test_rules_reach_down(demo: Program) -> None:
    """An OU shows the rules over what lies above it too, and those about accounts and hosts everywhere."""
    rules = r"""charter: 1
rules:
  - {id: above, over: "OU=People", grant: [user-details], to: [LOWMERE\Service Desk]}
  - {id: everywhere, hosts: {everywhere: true}, local-group: administrators, include: [LOWMERE\Domain Admins]}
  - {id: elsewhere, over: "OU=Groups", grant: [group-membership], to: [LOWMERE\Service Desk]}
  - {id: kept, protect: ["OU=Bridge,OU=People"]}
"""
    (demo.folder / "charter/charter.yaml").write_text(rules)
    shown = demo("show", "OU=Bridge,OU=People,DC=lowmere,DC=example", "--format", "json").json
    assert {one["rule"]: one["because"] for one in shown["rules"]} == {
        "above": "rights over People",
        "everywhere": "hosts everywhere",
        "kept": "it is protected",
    }
    assert shown["holds"]["user"] > 20


def test_all_ous(demo: Program) -> None:
    """From the top down, with what lies anywhere below each; and OU=X is made as X is."""
    rows = demo("ou", "list", "--format", "json").json
    by_name = {row["name"]: row for row in rows}
    hosts = [row for name, row in by_name.items() if name.endswith(",OU=Hosts")]
    assert by_name["OU=Hosts"]["computers"] == sum(row["computers"] for row in hosts) > 60
    assert [row["name"] for row in rows].index("OU=Hosts") < [row["name"] for row in rows].index(hosts[0]["name"])
    assert demo("ou", "create", "OU=Slip", "--in", "OU=Hosts", "--yes").code == 0
    [made] = [row for row in demo("ou", "list", "--format", "json").json if row["name"] == "OU=Slip,OU=Hosts"]
    assert (made["protected"], made["users"]) == (True, 0)


def test_a_move_says_which_rules_it_leaves_and_enters(demo: Program) -> None:
    """By what the object is: a host by the rules about hosts; an exception by name is none of them."""
    asked = demo("move", "KIOSK-07", "OU=Bridge Consoles,OU=Hosts").out
    said = " ".join(asked.split())
    assert "it leaves the rule kiosk-administrators (hosts under OU=Ticket Kiosks,OU=Hosts)" in said
    assert "it enters the rules console-wardens (hosts under OU=Bridge Consoles,OU=Hosts), chart-updater" in said
    person = " ".join(demo("move", "ulla.beck", "OU=Booking Office,OU=People").out.split())
    assert "kiosk" not in person
    assert "it enters the rule" in person
