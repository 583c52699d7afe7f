"""Rounds that are ended at any write, find no server, or no room: nothing is lost, and nothing is asked twice."""

import json
import shutil
import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.program import Json, Program
from tests.system.test_every_write import KILLED, Ending, command, copied, disk_full, killed, points

CHARTER = r"""charter: 1
rules:
  - {id: asks, owner: charts@lowmere.example, group: 'LOWMERE\Chart Editors', exclude: ['LOWMERE\hedda.morrow']}
  - {id: mends, response: mend, group: 'LOWMERE\First Aiders', include: ['LOWMERE\yorick.tarn']}
"""
LATER = timedelta(hours=2)
"""When the lease is over; the shift goes on until then."""


@pytest.fixture
def busy(demo: Program) -> Program:
    """The demo, where the next round ends a lease, begins a shift, mends, asks, tells and seals."""
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", demo.folder / "seal-key"], check=True)
    with (demo.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[tell.lines]\nfile = "told.jsonl"\n\n[seal]\nkey = "seal-key"\n')
    (demo.folder / "charter/charter.yaml").write_text(CHARTER)
    for wanted in (
        ("group", "add", r"LOWMERE\Chart Editors", "hedda.morrow", "--yes"),
        ("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--for", "1h", "--yes"),
        ("shift", "start", "orla.fenn", r"LOWMERE\Radio Watch", "--zone", "UTC", *_while_later()),
    ):
        done = demo(*wanted)
        assert done.code == 0, done.err
    demo.ahead = LATER
    return demo


def later(folder: Path) -> Program:
    """The program in a copy of that workspace, at the same time."""
    program = Program(folder)
    program.ahead = LATER
    return program


def _while_later() -> tuple[str, ...]:
    now = datetime.now(UTC)
    return "--from", f"{now + timedelta(hours=1):%H:%M}", "--to", f"{now + timedelta(hours=5):%H:%M}"


def state(program: Program) -> Json:
    """What everything has come to."""
    with closing(sqlite3.connect(program.folder / ".adzeguard/store.db")) as store:
        asked = store.execute("SELECT fingerprint, state FROM question").fetchall()
        letters = store.execute("SELECT count(*) FROM letter").fetchone()
        leases = store.execute("SELECT member, state FROM lease ORDER BY member, state").fetchall()
    told = [json.loads(line) for line in (program.folder / "told.jsonl").read_text().splitlines()]
    groups = ("Chart Editors", "First Aiders", "Radio Watch")
    inside = {group: {m["name"] for m in program("who", group, "--format", "json").json} for group in groups}
    return {
        "asked": asked,
        "letters": letters,
        "leases": leases,
        "told": {one["number"]: one["kind"] for one in told},
        "inside": inside,
        "seals": len(list((program.folder / ".adzeguard/seals").glob("*.seal"))),
    }


@pytest.mark.parametrize("ending", [killed, disk_full], ids=lambda ending: ending.__name__)
def test_a_round_that_is_ended_at_any_write_is_made_good_by_the_next(
    busy: Program, tmp_path: Path, ending: Ending
) -> None:
    """Lease and shift, mending, question, letter and seal are as after a round that nobody ended."""
    start = Path(shutil.copytree(busy.folder, tmp_path / "start"))
    with copied(start, tmp_path) as folder:
        code, writes, said = command(folder, ["round"], ahead=LATER)
        assert code == 0, said
        wanted = state(later(folder))
    assert (len(wanted["asked"]), len(wanted["told"])) == (1, 2)
    assert "yorick.tarn" in wanted["inside"]["First Aiders"]
    assert "orla.fenn" in wanted["inside"]["Radio Watch"]
    assert "roan.pell" not in wanted["inside"]["Chart Editors"]
    assert writes > 20
    for at in points(writes):
        with copied(start, tmp_path) as folder:
            code, _, said = command(folder, ["round"], at, ending, LATER)
            assert "should not happen" not in said, (at, said)
            assert code == KILLED if ending is killed else code in (0, 1, 4), (at, code, said)
            program = later(folder)
            for _ in range(2):  # what one could not store for want of room, the next one has
                program("round")
            last = program("round", "--format", "json")
            assert last.code == 0, (at, last.out, last.err)
            assert (last.json["asked"], last.json["mended"], last.json["leases_ended"]) == ([], 0, [])
            assert {**state(program), "seals": 0} == {**wanted, "seals": 0}, at
            assert state(program)["seals"] >= 1
            assert program("journal", "verify").code == 0


def test_ten_rounds_without_a_server_lose_nothing(busy: Program) -> None:
    """Each says so in one line; once it is back, everything is done that was due, once."""
    directory = busy.folder / "lowmere.ldif"
    directory.rename(busy.folder / "away")
    for _ in range(10):
        gone = busy("round")
        assert (gone.code, gone.err.count("\n")) == (1, 1), gone.err
    (busy.folder / "away").rename(directory)
    done = busy("round", "--format", "json").json
    assert (done["leases_ended"], done["asked"], done["mended"], done["told"]) == (["L1"], ["Q1"], 1, 2)
    assert busy("round", "--format", "json").json["asked"] == []


def test_a_store_that_somebody_else_holds(busy: Program) -> None:
    """The round says that it waits for somebody else, changes nothing, and the next one does it all."""
    hold = (
        "import sys; from pathlib import Path; from adzeguard.workspace.open_workspace import Workspace\n"
        "with Workspace(Path('.')).held('by hand'): print('held', flush=True); sys.stdin.read()"
    )
    pipes = {"stdin": subprocess.PIPE, "stdout": subprocess.PIPE, "cwd": busy.folder, "text": True}
    holder = subprocess.Popen([sys.executable, "-c", hold], **pipes)
    assert holder.stdout is not None
    assert holder.stdout.readline() == "held\n"
    refused = busy("round")
    holder.communicate("")
    assert (refused.code, refused.err.count("\n")) == (1, 1), refused.err
    assert busy("lease", "list", "--format", "json").json[0]["state"] == "over"
    assert busy("round", "--format", "json").json["leases_ended"] == ["L1"]


def test_what_somebody_began_by_hand_waits_for_them(busy: Program, tmp_path: Path) -> None:
    """Leases end and owners are asked beside it; nothing is mended, and it is told, until they have decided."""
    start = Path(shutil.copytree(busy.folder, tmp_path / "by-hand"))
    code, _, _ = command(start, ["group", "add", "First Aiders", "cato.lune", "tobin.asker", "--yes"], 6, killed, LATER)
    assert code == KILLED
    program = later(start)
    made = program("round", "--format", "json")
    assert (made.code, made.json["leases_ended"], made.json["asked"], made.json["mended"]) == (4, ["L1"], ["Q1"], 0)
    assert "was interrupted" in made.json["refusals"][0]
    assert program("enact", "--drop").code == 0
    assert program("round", "--format", "json").json["mended"] == 1
