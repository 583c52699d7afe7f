"""Notes of a workspace go the road of every write: a row in the journal, undo, and approval where it is needed."""

import pytest

from tests.program import Json, Program

EDITORS = r"LOWMERE\Chart Editors"
SHIFT = ("shift", "start", "orla.fenn", EDITORS, "--zone", "UTC", "--from", "08:00", "--to", "16:00")


@pytest.fixture
def calm(demo: Program) -> Program:
    """The demo with nothing to mend, and a lease."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    assert demo("lease", "start", "roan.pell", EDITORS, "--for", "1h", "--yes").code == 0
    return demo


def rows(program: Program, *command: str) -> list[Json]:
    """What a command lists."""
    listed: list[Json] = program(*command, "--format", "json").json
    return listed


def made(program: Program) -> list[Json]:
    """What the journal says was begun, in its order."""
    return [row for row in rows(program, "journal") if row["kind"] == "intent"]


def end_of(program: Program) -> str:
    """Until when the one lease runs."""
    [lease] = rows(program, "lease", "list")
    return str(lease["until_at"])


def approval_of_editors(program: Program) -> None:
    """Let nobody be let into the group, or stay there longer, without somebody else's yes."""
    table = f"\n[approval]\nsigners = 'signers'\ngroups = ['{EDITORS}']\nwithout = false\n"
    with (program.folder / "adzeguard.toml").open("a") as settings:
        settings.write(table)
    (program.folder / "signers").touch()


def test_an_extended_lease_stands_in_the_journal_and_is_undone(calm: Program) -> None:
    """Its end is moved and moved back; a move that another one followed is a conflict, and nothing changes."""
    before = end_of(calm)
    assert calm("lease", "extend", "L1", "--for", "3h").code == 0
    three = end_of(calm)
    assert calm("lease", "extend", "L1", "--for", "5h").code == 0
    assert before < three < end_of(calm)
    first, second = [row for row in made(calm) if r"note lease L1: LOWMERE\roan.pell is in" in row["what"]]
    conflict = calm("undo", first["enactment"], "--yes", "--format", "json")
    assert [row["status"] for row in conflict.json] == ["conflict"]
    for enactment, end in ((second, three), (first, before)):
        assert calm("undo", enactment["enactment"], "--yes").code == 0
        assert end_of(calm) == end
    assert calm("journal", "verify").code == 0


def test_what_needs_approval_is_neither_extended_nor_given_by_a_shift_without_it(calm: Program) -> None:
    """To shorten it needs nobody; glass is broken only where the workspace lets somebody break it."""
    approval_of_editors(calm)
    before = end_of(calm)
    for command in (("lease", "extend", "L1", "--for", "300d", "--yes"), SHIFT):
        refused = calm(*command)
        assert (refused.code, f"changes of {EDITORS} need somebody else's yes" in refused.err) == (1, True)
    assert (end_of(calm), rows(calm, "shift", "list")) == (before, [])
    assert calm("lease", "extend", "L1", "--for", "5m", "--yes").code == 0
    assert end_of(calm) < before
    assert "nothing is enacted here without approval" in calm(*SHIFT, "--without-approval", "storm").err
    settings = calm.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("without = false", "without = true"))
    broken = calm(*SHIFT, "--without-approval", "storm")
    assert (broken.code, "Glass is broken: storm" in broken.err) == (0, True), broken.err


def test_a_shift_is_added_ended_and_each_undone(calm: Program) -> None:
    """Its end undone, it goes on; its beginning undone, there is none."""
    assert calm(*SHIFT).code == 0
    assert calm("shift", "end", "S1").code == 0
    assert rows(calm, "shift", "list") == []
    assert calm("undo", "--last", "--yes").code == 0
    assert [row["id"] for row in rows(calm, "shift", "list")] == ["S1"]
    begun = next(row["enactment"] for row in made(calm) if "note shift S1" in row["what"])
    assert calm("undo", begun, "--yes").code == 0
    assert rows(calm, "shift", "list", "--all") == []


def test_a_waiver_is_a_row_and_is_undone(calm: Program) -> None:
    """What was left as it is, is a finding again."""
    found = rows(calm, "check")[0]
    assert calm("questions", "leave", found["fingerprint"], "--until", "2w", "--why", "leaves soon").code == 0
    assert "is left until" in made(calm)[-1]["what"]
    assert [row["id"] for row in rows(calm, "questions", "waivers")] == ["W1"]
    assert calm("undo", "--last", "--yes").code == 0
    assert rows(calm, "questions", "waivers", "--all") == []
    assert calm("journal", "verify").code == 0


def test_what_is_noted_already_is_not_noted_twice(calm: Program) -> None:
    """A second shift of the same times would go on when the first is ended, and so would a second waiver."""
    assert calm(*SHIFT).code == 0
    again = calm(*SHIFT)
    assert (again.code, "S1 gives" in again.err, "shift end S1" in again.err) == (2, True, True), again.err
    assert len(rows(calm, "shift", "list")) == 1
    found = rows(calm, "check")[0]["fingerprint"]
    assert calm("questions", "leave", found, "--until", "2w", "--why", "leaves soon").code == 0
    same = calm("questions", "leave", found, "--until", "1w", "--why", "leaves sooner")
    assert (same.code, "waivers end W1" in same.err) == (2, True), same.err
    assert calm("questions", "leave", found, "--until", "3w", "--why", "leaves later").code == 0
    assert [row["id"] for row in rows(calm, "questions", "waivers")] == ["W2"]
    assert calm("questions", "waivers", "end", "W2").code == 0
    assert rows(calm, "questions", "waivers") == []
