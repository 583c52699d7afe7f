"""The timeline of a group, in the terminal, as plain values and as a picture."""

from datetime import UTC, datetime, timedelta

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"


def test_the_planted_night_is_one_sign(demo: Program) -> None:
    """Inside for eleven minutes is a stretch of eleven minutes, with who did it; everybody else stands as they are."""
    demo("trail", "import", "trail.jsonl")
    line = demo("history", ADMINS, "--drawn", "--format", "json").json
    people = {one["member"]: one["stretches"] for one in line["members"]}
    members = demo("who", ADMINS, "--format", "json").json
    inside = {row["qualified_name"] for row in members if row["kind"] != "group"}
    assert set(people) == inside | {r"LOWMERE\roan.pell"}
    [night] = people[r"LOWMERE\roan.pell"]
    begin, end = (datetime.fromisoformat(night[key]) for key in ("begins_at", "ends_at"))
    assert (end - begin, night["by"], night["ended_by"]) == (
        timedelta(minutes=11),
        r"LOWMERE\signe.quist",
        r"LOWMERE\signe.quist",
    )
    assert people[r"LOWMERE\isolde.varn.adm"] == [dict.fromkeys(("begins_at", "ends_at", "by", "ended_by", "lease"))]
    assert len(line["gaps"]) == 1
    shown = demo("history", ADMINS, "--drawn").out
    [bar] = [text for text in shown.splitlines() if text.startswith("roan.pell")]
    assert (bar.count("█"), "?" in bar) == (1, True)
    assert r"roan.pell came in, by LOWMERE\signe.quist" in shown
    assert r"roan.pell went out after 11 min" in shown
    later = demo("history", ADMINS, "--drawn", "--since", "2h", "--format", "json").json
    assert r"LOWMERE\roan.pell" not in {one["member"] for one in later["members"]}


def test_leases_and_decisions_stand_in_it(demo: Program) -> None:
    """Drawn apart, with their ids; and what was asked and left."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: r, group: 'LOWMERE\\Chart Editors', exclude: ['LOWMERE\\hedda.morrow']}\n"
    )
    demo("group", "add", r"LOWMERE\Chart Editors", "hedda.morrow", "--yes")
    demo("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--for", "1h", "--yes")
    demo("round")
    demo("questions", "answer", "Q1", "--leave-until", "2w", "--why", "charts of the new pier")
    since = (datetime.now(UTC) - timedelta(minutes=10)).isoformat()
    line = demo("history", r"LOWMERE\Chart Editors", "--drawn", "--since", since, "--format", "json").json
    people = {one["member"]: one["stretches"] for one in line["members"]}
    assert [one["lease"] for one in people[r"LOWMERE\roan.pell"]] == ["L1"]
    assert [one["lease"] for one in people[r"LOWMERE\hedda.morrow"]] == [None]
    decided = [(one["member"], one["what"].partition(" ")[0]) for one in line["decided"]]
    assert sorted(decided) == [
        (r"LOWMERE\hedda.morrow", "asked"),
        (r"LOWMERE\hedda.morrow", "left"),
        (r"LOWMERE\roan.pell", "lease"),
    ]
    assert "▒" in demo("history", r"LOWMERE\Chart Editors", "--drawn", "--since", since).out


def test_it_is_drawn(demo: Program) -> None:
    """Into a file for its owner alone; what is no picture, no group and no past is refused in one line."""
    demo("trail", "import", "trail.jsonl")
    for name, begin in (("line.png", b"\x89PNG"), ("line.svg", b"<?xml"), ("line.pdf", b"%PDF")):
        assert demo("history", ADMINS, "--picture", name).code == 0
        file = demo.folder / name
        assert (file.read_bytes()[: len(begin)], file.stat().st_mode & 0o777) == (begin, 0o600)
    for wrong in (("--picture", "line.doc"), ("--drawn", "--since", "2099-01-01"), ("--drawn", "--direct")):
        assert demo("history", ADMINS, *wrong).code == 2
    assert "Give it: adzeguard history GROUP --drawn" in demo("history", "--drawn").err
    assert demo("history", "roan.pell", "--drawn").code == 2
