"""The docs say what the program does."""

import os
import re
import shlex
import shutil
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import click
import pytest

from adzeguard.cli.main import COMMANDS, commands
from adzeguard.core.rights.ways import LETTING_ACT, LINKING, WAYS
from tests.program import Program

ROOT = Path(__file__).parents[2]
NEEDS_MORE = {
    "init": "a file of one's own",
    "demo": "a folder outside",
    "approve": "keys",
    "enact": "a proposal made now",
    "charter diff": "a repository",
    "ou delete": "an empty OU",
    "review start": "a manager",
    "retire tidy": "a deletion that was seen",
    "shift end": "a shift",
    "questions answer": "a question",
    "questions try": "a mail server",
    "trail import": "a log of a server",
    "trail follow": "a log that grows",
    "round watch": "it goes on",
    "journal seal": "a key",
}
"""Commands whose example wants more than the demo has; pages of the guide run most of them."""


def test_the_command_reference_is_current() -> None:
    """The page that is made from the program equals what the program would make of it now."""
    done = subprocess.run(
        [sys.executable, "docs/make_reference.py", "--check"], cwd=ROOT, capture_output=True, text=True, check=False
    )

    assert done.returncode == 0, done.stderr


def test_every_help_ends_in_an_example_that_runs(demo: Program) -> None:
    """The last line of each help, of commands and those below them, can be pasted: it runs, or waits for a yes."""

    def below(command: click.Command, path: tuple[str, ...]) -> Iterator[tuple[str, click.Command]]:
        if path:
            yield " ".join(path), command
        if isinstance(command, click.Group):
            for name in command.list_commands(click.Context(command)):
                inner = command.get_command(click.Context(command), name)
                assert inner is not None
                yield from below(inner, (*path, name))

    demo("round")
    assert demo("lease", "start", "roan.pell", "Chart Editors", "--for", "2h", "--yes").code == 0
    wrong = []
    for path, command in below(commands, ()):
        example = str(command.epilog)
        assert example.startswith(f"Example: adzeguard {path.split()[0]}"), path
        if path not in NEEDS_MORE:
            ran = demo(*shlex.split(example.removeprefix("Example: adzeguard ")))
            waits = ran.code == 2 and "Give --yes" in ran.err
            wrong += [] if waits or ran.code in (0, 3, 4) else [(path, ran.err)]
    assert wrong == []


def test_every_command_has_a_man_page_that_man_takes(tmp_path: Path) -> None:
    """Made from the help: one for each command and each below it; groff has nothing to complain of."""
    subprocess.run([sys.executable, "docs/man_pages.py", tmp_path], cwd=ROOT, check=True)
    pages = {path.stem: path.read_text() for path in tmp_path.iterdir()}
    assert {f"adzeguard-{name}" for name in COMMANDS} | {"adzeguard", "adzeguard-group-add"} <= set(pages)
    assert ".B \\-\\-resume" in pages["adzeguard-enact"]
    if shutil.which("groff"):
        lint = ["groff", "-man", "-ww", "-z", *sorted(map(str, tmp_path.iterdir()))]
        assert subprocess.run(lint, capture_output=True, text=True, check=True).stderr == ""


def test_every_picture_is_linked_and_every_link_leads_somewhere() -> None:
    """The README shows the pictures there are, and its links lead to files there are."""
    links = set(re.findall(r"\]\(([^)#]+)\)", (ROOT / "README.md").read_text()))
    pictures = {str(path.relative_to(ROOT)) for path in (ROOT / "docs/screenshots").glob("*.png")}

    assert all((ROOT / link).is_file() for link in links)
    assert pictures <= links
    assert 0 < len(pictures) < 20


def test_the_guide_tells_every_way_into_a_group_with_its_source() -> None:
    """A way that is added to the table has its line in the guide: what is needed, and where that is said."""
    guide = (ROOT / "docs/guide/ways.md").read_text()
    for way in (*WAYS, LINKING, LETTING_ACT):
        words = way.sentence.replace("{}", "").removeprefix(", being in it,").strip().split("  ")[0]
        assert words in guide, way.sentence
        assert all(source.strip() in guide for source in way.source.split(", ")), way.sentence


PAGES = sorted((ROOT / "docs/guide").glob("*.md"))


def commands_in(page: Path) -> list[str]:
    """The lines of blocks that are meant to run in the demo."""
    blocks = re.findall(r"^```console\n(.*?)^```", page.read_text(), re.MULTILINE | re.DOTALL)
    return [
        line.removeprefix("$ ") for block in blocks for line in block.splitlines() if line.startswith("$ adzeguard")
    ]


def test_every_page_of_the_guide_is_short_and_linked_and_says_what_it_leaves() -> None:
    """At most sixty lines; what it needs, does and leaves first; every link leads somewhere."""
    index = (ROOT / "docs/guide/README.md").read_text()
    for page in PAGES:
        text = page.read_text()
        assert len(text.splitlines()) <= 60, page.name
        links = re.findall(r"\]\(([^)#]+)\)", text)
        assert all((page.parent / link).is_file() for link in links), page.name
        if page.name != "README.md":
            assert f"({page.name})" in index
            assert all(f"- **{word}:**" in text for word in ("Needs", "Does", "Leaves")), page.name


@pytest.mark.parametrize("page", [page for page in PAGES if commands_in(page)], ids=lambda page: page.stem)
def test_every_example_of_the_guide_runs(demo: Program, page: Path) -> None:
    """Line by line, in the demo as it is made: none is wrong use, and none fails."""
    demo("round")
    for line in commands_in(page):
        ran = demo(*shlex.split(line)[1:])
        assert ran.code in (0, 3, 4), (line, ran.out[-300:], ran.err)


def test_a_change_of_the_charter_is_shown_before_it_counts(demo: Program) -> None:
    """The job for a merge request runs as the page has it: mistakes end it, a difference is written as Markdown."""
    text = (ROOT / "docs/guide/version-control.md").read_text()
    [script] = [
        block for block in re.findall(r"^```sh\n(.*?)^```", text, re.MULTILINE | re.DOTALL) if "#!/bin/sh" in block
    ]
    (demo.folder / "job.sh").write_text(script)
    who = ["-c", "user.name=a", "-c", "user.email=a@x"]
    for words in (["init", "-q"], ["add", "charter"], [*who, "commit", "-q", "-m", "as agreed"]):
        subprocess.run(["git", *words], cwd=demo.folder, check=True)
    assert demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--yes").code == 0
    path = f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}"

    def job() -> subprocess.CompletedProcess[str]:
        ask = ["sh", "job.sh"]
        return subprocess.run(
            ask, cwd=demo.folder, env=os.environ | {"PATH": path}, capture_output=True, text=True, check=False
        )

    done = job()
    assert (done.returncode, "radio-watch" in done.stdout) == (0, True), done.stderr
    assert "| new | radio-watch |" in (demo.folder / "difference.md").read_text()
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(charter.read_text().replace("orla.fenn", "orla.fen"))
    assert job().returncode == 1


def test_the_daily_tasks_run_as_they_are_written(demo: Program) -> None:
    """Each line of each page, in its order: none is wrong use, and none fails."""
    demo("trail", "import", "trail.jsonl")
    demo("round")
    lines = re.findall(r"^\$ adzeguard ?(.*)$", (ROOT / "docs/tasks.md").read_text(), re.MULTILINE)
    assert len(lines) > 20
    for line in lines:
        ran = demo(*shlex.split(line))
        assert ran.code in (0, 3, 4), (line, ran.err)
