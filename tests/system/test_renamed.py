"""Names in rules whose objects are renamed: followed by their SIDs, told, and never given to another object."""

import pytest

from tests.program import Json, Program

STEWARDS = r"LOWMERE\Kiosk Stewards"


def test_a_group_that_is_made_again_takes_no_rule_until_it_is_meant(demo: Program) -> None:
    """Its SID is another one: whoever may delete and make groups must not decide whom a rule puts in."""
    charter = demo.folder / "charter/charter.yaml"
    rule = r"- {id: editors, response: mend, group: 'LOWMERE\Chart Writers', include: ['LOWMERE\Lamp Trimmers']}"
    charter.write_text(f"charter: 1\nrules:\n{rule}\n")
    for _ in range(2):
        assert demo("group", "create", "Lamp Trimmers", "--in", "OU=Groups", "--yes").code == 0
        demo("round")
        assert demo("group", "delete", "Lamp Trimmers", "--yes").code == 0
    assert demo("group", "create", "Lamp Trimmers", "--in", "OU=Groups", "--yes").code == 0
    [finding] = found(demo, "unresolved-name")
    assert "was another object until now, which is gone: if this one is meant" in finding["message"]
    assert demo("propose", "--format", "json").json["changes"] == []
    assert demo("charter", "lint", "--take-names").code == 0
    assert len(demo("propose", "--format", "json").json["changes"]) == 1


@pytest.fixture
def followed(demo: Program) -> Program:
    """The demo after a round that followed its rules."""
    assert demo("enact", "--yes").code in (0, 4)
    demo("round")
    return demo


def rename(program: Program, old: str, new: str) -> None:
    """Call a group otherwise, behind our back."""
    file = program.folder / "lowmere.ldif"
    text = file.read_text()
    file.write_text(
        text.replace(f"CN={old},", f"CN={new},").replace(f"sAMAccountName: {old}\n", f"sAMAccountName: {new}\n")
    )
    program("collect")


def found(program: Program, check: str) -> list[Json]:
    """What a check finds."""
    return [f for f in program("check", "--each", "--format", "json").json if f["check"] == check]


def test_a_group_that_was_renamed_is_followed_and_told(followed: Program) -> None:
    """Its members are put right as ever; lint, a check and one question to the owner say the new name."""
    rename(followed, "Kiosk Stewards", "Kiosk Wardens")
    assert followed("propose", "--on", "KIOSK-0*").code == 0
    [finding] = found(followed, "renamed-in-rule")
    assert r"is called 'LOWMERE\Kiosk Wardens' by now, and is followed by its SID" in finding["message"]
    lint = followed("charter", "lint")
    assert (lint.code, "Kiosk Wardens" in lint.out) == (3, True)
    sid = followed("show", r"LOWMERE\Kiosk Wardens", "--format", "json").json["sid"]
    assert followed("group", "remove", "--on", "KIOSK-03", "administrators", sid, "--yes").code == 0
    for _ in range(2):
        followed("round")
    assert sid in {m["sid"] for m in followed("who", "--on", "KIOSK-03", "--format", "json").json}
    asked = [q for q in followed("questions", "--format", "json").json if "Kiosk Wardens' by now" in q["message"]]
    assert len(asked) == 1
    charter = followed.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace("Kiosk Stewards", "Kiosk Wardens"))
    assert found(followed, "renamed-in-rule") == []


def test_another_group_that_takes_the_name_takes_no_rule(followed: Program) -> None:
    """Whoever may rename groups must not decide whom a rule puts in; said is which it was, until it is meant so."""
    rename(followed, "Kiosk Stewards", "Kiosk Wardens")
    assert followed("group", "create", "Kiosk Stewards", "--in", "OU=Groups", "--yes").code == 0
    [finding] = found(followed, "unresolved-name")
    assert r"was another object until now, which is called 'LOWMERE\Kiosk Wardens':" in finding["message"]
    assert followed("propose", "--on", "KIOSK-0*", "--format", "json").json["changes"] == []
    followed("charter", "lint", "--take-names")
    assert found(followed, "unresolved-name") == []
    assert followed("propose", "--on", "KIOSK-0*", "--format", "json").json["changes"] != []
