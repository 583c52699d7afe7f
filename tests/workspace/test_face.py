"""The Python face: what its page shows runs, without the command line, and is refused where the command is."""

import re
import shutil
import subprocess
import sys
from datetime import datetime
from pathlib import Path

import pytest

import adzeguard
from tests.program import Program

PAGE = Path(__file__).parents[2] / "docs/python.md"
EXAMPLES = re.findall(r"```python\n(.*?)```", PAGE.read_text(), re.DOTALL)


def test_every_example_of_its_page_runs_and_loads_no_command_line(demo_as_made: Path, tmp_path: Path) -> None:
    """One after the other, in a process that has neither Click nor Rich in the end."""
    shutil.copytree(demo_as_made, tmp_path / "lowmere-demo")
    said = "import sys; print('loaded:', sorted({'click', 'rich'} & sys.modules.keys()))"
    script = "\n".join([*EXAMPLES, said])
    ran = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert (ran.returncode, ran.stderr) == (0, "")
    assert "loaded: []" in ran.stdout
    assert "{'verified'}" in ran.stdout
    assert "refused: " in ran.stdout
    assert len(EXAMPLES) >= 10


def test_a_short_program_does_what_the_commands_do(demo: Program) -> None:
    """Who is privileged, what deviates, what is proposed and what becomes of it: the same as the commands say."""
    with adzeguard.open(demo.folder) as workspace:
        assert workspace.who("Domain Admins") == demo("who", "Domain Admins", "--format", "json").json
        assert workspace.who(host="KIOSK-01") == demo("who", "--on", "KIOSK-01", "--format", "json").json
        assert workspace.check() == demo("check", "--format", "json").json
        proposal = workspace.propose()
        told = demo("propose", "--format", "json").json
        assert [change.model_dump(mode="json") for change in proposal.changes] == told["changes"]
        assert {row["status"] for row in workspace.enact(proposal)} == {"verified"}
        assert workspace.propose().changes == ()
    assert demo("propose", "--format", "json").json["changes"] == []


def test_it_is_refused_where_the_command_is(demo: Program) -> None:
    """Guards, sizes and a wrong name say the same in one line, as errors under one root."""
    with adzeguard.open(demo.folder) as workspace:
        workspace.enact(workspace.propose())
        refused = demo("undo", "--last", "--yes")
        with pytest.raises(adzeguard.AdzeguardError) as raised:
            workspace.undo()
        assert str(raised.value).splitlines()[0] in refused.err
        with pytest.raises(adzeguard.AdzeguardError, match=r"nobody\.here"):
            workspace.who("nobody.here")
        with pytest.raises(adzeguard.AdzeguardError, match="has no rule"):
            workspace.check(rules=["kiosk-administratosr"])
    with pytest.raises(adzeguard.AdzeguardError, match="workspace"):
        adzeguard.open(demo.folder / "hosts")


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        (lambda w: w.who(), "say one group, or one host"),
        (lambda w: w.who("First Aiders", local_group="administrators"), "a local group is one of a host"),
        (lambda w: w.why("orla.fenn"), "say one group or one host"),
        (lambda w: w.find("a", kind="users"), "there is no kind 'users'"),
        (lambda w: w.check(severity="hi"), "there is no severity 'hi'"),
        (lambda w: w.propose(rules="kiosk"), "has no rule 'kiosk'"),
        (lambda w: w.undo("e-none"), "has changed anything"),
        (lambda w: w.resume(), "no enactment was interrupted"),
        (lambda w: w.may("orla.fenn", "fly", "cato.lune"), "fly"),
        (lambda w: w.history(since=datetime(1, 1, 1)), "has no time in UTC"),  # noqa: DTZ001 - that is the point
    ],
)
def test_a_wrong_word_is_one_error_with_the_way_out(demo_as_made: Path, wrong, said: str) -> None:
    """Under the one root, whatever a program hands over; none is a KeyError of the inside."""
    with adzeguard.open(demo_as_made) as workspace, pytest.raises(adzeguard.AdzeguardError, match=re.escape(said)):
        wrong(workspace)


def test_what_is_asked_of_a_closed_one_opens_it_again(demo: Program) -> None:
    """The store and all that was drawn from it are let go of: what is asked afterwards is of what stands then."""
    workspace = adzeguard.open(demo.folder)
    before = workspace.who(r"LOWMERE\First Aiders")
    workspace.close()
    assert demo("group", "add", "First Aiders", "hedda.morrow", "--yes").code == 0
    demo("collect")
    after = {row["qualified_name"] for row in workspace.who(r"LOWMERE\First Aiders")}
    workspace.close()
    assert after - {row["qualified_name"] for row in before} == {r"LOWMERE\hedda.morrow"}


def test_times_without_a_zone_are_the_machine_s(demo: Program) -> None:
    """As those that are typed; the rows are those of the command."""
    demo("trail", "import", "trail.jsonl")
    with adzeguard.open(demo.folder) as workspace:
        rows = workspace.history("Domain Admins", since=datetime(2020, 1, 1))  # noqa: DTZ001 - that is the point
    assert len(rows) == len(demo("history", "Domain Admins", "--since", "2020-01-01", "--format", "json").json) > 0
