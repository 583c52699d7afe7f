"""A part alone: of what the charter asks for, of a proposal, of a listing; and what is alike folded for people."""

import json

import pytest

from tests.program import Json, Program


def changes(program: Program, *arguments: str) -> list[Json]:
    """The changes that are proposed."""
    rows: list[Json] = program("propose", *arguments, "--format", "json").json["changes"]
    return rows


def test_a_part_of_what_the_charter_asks_for(demo: Program) -> None:
    """By rule, group, host and OU; together they narrow, and all parts are the whole."""
    whole = changes(demo)
    kiosks = changes(demo, "--rule", "kiosk-administrators")
    assert {c["rule"] for c in kiosks} == {"kiosk-administrators"}
    assert {c["host"] for c in changes(demo, "--on", "kiosk-07")} == {"KIOSK-07"}
    admins = changes(demo, "--group", r"LOWMERE\Domain Admins")
    # Who is inside by a primary group gets another one first: what belongs together is never taken apart.
    assert {c["kind"] for c in admins} >= {"set-primary-group", "remove-member"}
    hosts = changes(demo, "--under", "OU=Hosts")
    assert hosts == kiosks
    assert len(kiosks) + len(admins) == len(whole)
    assert changes(demo, "--rule", "kiosk-administrators", "--under", "OU=Shore Laptops,OU=Hosts") == []


@pytest.mark.parametrize("wrong", [("--rule", "kiosk"), ("--group", "Domain Admin"), ("--under", "OU=Nowhere")])
def test_parts_of_nothing(demo: Program, wrong: tuple[str, str]) -> None:
    """A name that is none is refused in one line."""
    refused = demo("propose", *wrong)
    assert (refused.code, refused.err.startswith("adzeguard: ")) == (2, True)


def test_mending_kiosks_leaves_the_administrators_alone(demo: Program) -> None:
    """Enacted is the part alone; of a file only the changes that are named."""
    assert demo("enact", "--rule", "kiosk-administrators", "--yes").code == 0
    left = changes(demo)
    assert {c["rule"] for c in left} == {"two-administrators"}
    demo("propose", "--output", "rest.json")
    removals = [
        c for c in json.loads((demo.folder / "rest.json").read_text())["changes"] if c["kind"] == "remove-member"
    ]
    one = removals[0]
    assert demo("enact", "rest.json", "--change", "c99999", "--yes").code == 2
    assert demo("enact", "rest.json", "--rule", "laptop-helpers", "--yes").code == 2
    done = demo("enact", "rest.json", "--change", one["id"], "--yes", "--format", "json")
    assert [row["id"] for row in done.json] == [one["id"]]
    assert len(changes(demo)) == len(left) - 1


def test_what_is_alike_in_many_places_is_one_row(demo: Program) -> None:
    """With how many there are and the first by name; --each and programs see each of them."""
    rule = "- {id: crews, hosts: {everywhere: true}, local-group: administrators, include: ['LOWMERE\\Laptop Helpers']}"
    (demo.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n{rule}\n")
    each = demo("check", "--rule", "crews", "--format", "jsonl").out.splitlines()
    assert len(each) > 30
    shown = demo("check", "--rule", "crews").out
    assert f" {len(each)} " in " ".join(shown.split())
    assert len(shown.splitlines()) < 10
    assert len(demo("check", "--rule", "crews", "--each").out.splitlines()) > len(each)
    assert "Next:\n  adzeguard propose --also crews\n" in shown


def test_a_part_of_a_listing(demo: Program) -> None:
    """Rows, order, columns and their number, in every format; a column that is none is refused with those there are."""
    rows = demo("check", "--where", "severity=high", "--format", "jsonl").out.splitlines()
    assert {json.loads(row)["severity"] for row in rows} == {"high"}
    assert demo("check", "--where", "severity=high", "--count").out == f"{len(rows)}\n"
    two = demo("check", "--columns", "check,Where", "--sort", "subject", "--limit", "2", "--format", "csv").out
    assert two.splitlines()[0] == "check,subject"
    assert len(two.splitlines()) == 3
    refused = demo("check", "--sort", "severty")
    assert (refused.code, "did you mean severity" in refused.err) == (2, True)
    assert demo("journal", "--count").out == "0\n"
