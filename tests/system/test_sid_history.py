"""SIDs that accounts brought along from elsewhere."""

from base64 import b64encode

from adzeguard.core.identity import Sid
from tests.program import Program

OWN = "S-1-5-21-2874019363-1145201871-3300671429"


def carrying(program: Program, name: str, *sids: str) -> None:
    """Write SIDs into the history of an account, and read the directory again."""
    file = program.folder / "lowmere.ldif"
    lines = "".join(f"sIDHistory:: {b64encode(Sid(sid).to_bytes()).decode()}\n" for sid in sids)
    before, named, after = file.read_text().partition(f"sAMAccountName: {name}\n")
    assert named
    file.write_text(before + lines + named + after)
    program("collect")


def test_a_history_is_told_and_a_privileged_one_apart(demo: Program) -> None:
    """By what it makes of the account: an administrator by birth or by nesting, a group, or somebody of elsewhere."""
    group = demo("show", r"LOWMERE\Kiosk Stewards", "--format", "json").json["sid"]
    leading_in = demo("show", r"LOWMERE\Administrator", "--format", "json").json["sid"]
    carrying(demo, "roan.pell", f"{OWN}-512", "S-1-5-21-8-8-8-1105", group)
    carrying(demo, "orla.fenn", "S-1-5-32-544", leading_in)
    rows = demo("check", "--format", "json").json
    found = {
        (row["check"], row["subject"], row["evidence"]["former_sid"]) for row in rows if "sid-history" in row["check"]
    }
    assert found == {
        ("privileged-sid-history", r"LOWMERE\roan.pell", f"{OWN}-512"),
        ("privileged-sid-history", r"LOWMERE\orla.fenn", "S-1-5-32-544"),
        ("privileged-sid-history", r"LOWMERE\orla.fenn", leading_in),
        ("sid-history", r"LOWMERE\roan.pell", "S-1-5-21-8-8-8-1105"),
        ("sid-history", r"LOWMERE\roan.pell", group),
    }
    assert {row["severity"] for row in rows if row["check"] == "privileged-sid-history"} == {"critical"}


def test_a_damaged_history_hides_nothing_else(demo: Program) -> None:
    """What is no SID is left out; the others are told."""
    file = demo.folder / "lowmere.ldif"
    file.write_text(
        file.read_text().replace("sAMAccountName: roan.pell\n", "sIDHistory:: AQI=\nsAMAccountName: roan.pell\n", 1)
    )
    carrying(demo, "roan.pell", "S-1-5-21-8-8-8-1105")
    rows = demo("check", "--format", "json").json
    assert [row["evidence"]["former_sid"] for row in rows if row["check"] == "sid-history"] == ["S-1-5-21-8-8-8-1105"]
