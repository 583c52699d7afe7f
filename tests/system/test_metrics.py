"""Figures for monitoring."""

import re
import stat

from tests.program import Program

LINE = re.compile(r'^[a-z_]+(\{[a-z]+="(?:[^"\\]|\\.)*"(,[a-z]+="(?:[^"\\]|\\.)*")*\})? -?\d+(\.\d+)?$')


def values(text: str) -> dict[str, float]:
    """Each value by its name with its labels."""
    lines = [line for line in text.splitlines() if not line.startswith("#")]
    assert all(LINE.match(line) for line in lines), [line for line in lines if not LINE.match(line)]
    return {line.rpartition(" ")[0]: float(line.rpartition(" ")[2]) for line in lines}


def test_figures_say_what_the_commands_say(demo: Program) -> None:
    """Findings, headcounts, hosts, leases, questions; each figure with its help and type, in the open format."""
    assert demo("lease", "start", "hedda.morrow", "First Aiders", "--for", "1h", "--yes").code == 0
    text = demo("metrics").out
    told = values(text)
    findings = demo("check", "--each", "--format", "json").json
    assert sum(v for k, v in told.items() if k.startswith("adzeguard_findings{")) == len(findings)
    admins = [m for m in demo("who", r"LOWMERE\Domain Admins", "--format", "json").json if m["kind"] == "user"]
    assert told[r'adzeguard_privileged_people{group="LOWMERE\\Domain Admins"}'] == len(admins) == 6
    assert (told['adzeguard_hosts{state="read"}'], told['adzeguard_hosts{state="unread"}']) == (62, 2)
    assert told['adzeguard_leases{state="running"}'] == 1
    assert told["adzeguard_questions_open"] == 0
    assert "adzeguard_last_round_timestamp_seconds" not in told
    names = {line.split()[2] for line in text.splitlines() if line.startswith("# TYPE")}
    assert names == {line.split()[2] for line in text.splitlines() if line.startswith("# HELP")}
    demo("round")
    after = values(demo("metrics").out)
    assert after["adzeguard_last_round_timestamp_seconds"] >= told["adzeguard_last_collection_timestamp_seconds"]
    assert after["adzeguard_questions_open"] > 0


def test_a_file_is_for_its_owner_unless_asked_for(demo: Program) -> None:
    """Whole or not at all, and readable for others only where that is said."""
    path = demo.folder / "adzeguard.prom"
    assert demo("metrics", "--output", path.name).code == 0
    assert stat.S_IMODE(path.stat().st_mode) == 0o600
    assert demo("metrics", "--output", path.name, "--readable").code == 0
    assert stat.S_IMODE(path.stat().st_mode) == 0o644
