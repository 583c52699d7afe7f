"""The checks as things one can talk about: listed, explained, switched off, tuned, and a finding left for a while."""

import json

import pytest

from tests.program import Program


def settings(program: Program, text: str) -> None:
    """Write a table at the end of the settings."""
    with (program.folder / "adzeguard.toml").open("a") as file:
        file.write(text)


def test_every_check_is_listed_and_explained(demo: Program) -> None:
    """With what it finds now, which is what check finds; a name that is none says what it may have meant."""
    rows = demo("check", "--list", "--format", "json").json
    found = demo("check", "--format", "json").json
    assert {row["id"]: row["finding_count"] for row in rows if row["finding_count"]} == {
        check: sum(one["check"] == check for one in found) for check in {one["check"] for one in found}
    }
    assert len({row["id"] for row in rows}) == len(rows) > 60
    one = demo("check", "--explain", "name-twin", "--format", "json").json
    assert (one["finding_count"], one["enabled"], one["severity"], "local_sid" in one["evidence_keys"]) == (
        1,
        True,
        "medium",
        True,
    )
    assert one["mend"] in " ".join(demo("check", "--explain", "name-twin").out.split())
    wrong = demo("check", "--explain", "name-twins")
    assert (wrong.code, "did you mean 'name-twin'" in wrong.err) == (2, True)


def test_checks_are_switched_off_and_weighed(demo: Program) -> None:
    """In the settings; a check or a severity that is none is one clear line."""
    as_made = (demo.folder / "adzeguard.toml").read_text()
    settings(demo, '\n[checks]\noff = ["name-twin"]\n\n[checks.severity]\nwide-administrators = "low"\n')
    found = {row["check"]: row["severity"] for row in demo("check", "--format", "json").json}
    assert ("name-twin" in found, found["wide-administrators"]) == (False, "low")
    rows = {row["id"]: row for row in demo("check", "--list", "--format", "json").json}
    assert (rows["name-twin"]["enabled"], rows["wide-administrators"]["severity"]) == (False, "low")
    assert "off in this workspace" in demo("check", "--explain", "name-twin").out
    for text in ('\n[checks]\noff = ["name-twins"]\n', '\n[checks.severity]\nname-twin = "awful"\n'):
        (demo.folder / "adzeguard.toml").write_text(as_made + text)
        refused = demo("check")
        assert (refused.code, refused.err.count("\n")) == (1, 1), refused.err


def test_a_finding_of_any_check_is_left_until_a_date(demo: Program) -> None:
    """With a reason; until then it is a note, and no other is touched; ended, it is what it was."""
    [twin] = [row for row in demo("check", "--format", "json").json if row["check"] == "name-twin"]
    left = demo("questions", "leave", twin["fingerprint"], "--until", "2w", "--why", "renamed with the next image")
    assert left.code == 0, left.err
    rows = demo("check", "--format", "json").json
    assert "name-twin" not in {row["check"] for row in rows}
    [note] = [row for row in rows if row["check"] == "left-as-it-is"]
    assert (note["severity"], note["evidence"]["check"], "next image" in note["message"]) == ("note", "name-twin", True)
    assert demo("questions", "waivers", "--format", "json").json[0]["rule"] == "name-twin"
    assert demo("questions", "waivers", "end", "W1").code == 0
    assert twin in demo("check", "--format", "json").json


@pytest.mark.parametrize(
    ("arguments", "says"),
    [
        (("0" * 16, "--until", "2w", "--why", "x"), "nothing that is found now"),
        (("0" * 16, "--until", "2020-01-01", "--why", "x"), "is over"),
        (("0" * 16, "--until", "3000w", "--why", "x"), "365 days"),
        (("0" * 16, "--until", "2w", "--why", " "), "--why says nothing"),
    ],
)
def test_what_cannot_be_left(demo: Program, arguments: tuple[str, ...], says: str) -> None:
    """Is refused in one line."""
    refused = demo("questions", "leave", *arguments)
    assert (refused.code, says in refused.err) == (2, True), refused.err


def test_each_finding_gives_the_evidence_that_its_check_says(demo: Program) -> None:
    """Every check of the table says its keys, and no finding of the demo, its trail read, gives another."""
    from adzeguard.core.checks.table import CHECKS

    evidence = {check.id: check.evidence for check in CHECKS}
    demo("trail", "import", "trail.jsonl")
    found = demo("check", "--each", "--format", "json").json
    assert len({row["check"] for row in found}) > 20
    others = {(row["check"], key) for row in found for key in row["evidence"] if key not in evidence[row["check"]]}
    assert others == set()
    assert all(row["next"] for row in found)
    assert demo("check", "--explain", "unlisted-member", "--format", "json").json["evidence_keys"][0] == "place"


def test_hosts_that_everybody_administers_are_counted_apart(demo: Program) -> None:
    """`who --hosts` names them beside the people it counts: by themselves, or through a group."""
    assert "Everybody else" not in demo("who", "--hosts").out
    file = demo.folder / "hosts/KIOSK-02.json"
    content = json.loads(file.read_text())
    next(group for group in content["local_groups"] if group["sid"] == "S-1-5-32-544")["members"].append("S-1-1-0")
    file.write_text(json.dumps(content))
    demo("collect")
    said = " ".join(demo("who", "--hosts").out.split())
    assert "Everybody else who can log on administers 1 host too: KIOSK-02" in said
