"""The docs say what the program does."""

import re
import subprocess
import sys
from pathlib import Path

from adzeguard.cli.main import COMMANDS
from adzeguard.core.rights.ways import LINKING, WAYS
from tests.program import Program

ROOT = Path(__file__).parents[2]
NEEDS_MORE = (
    "init",
    "demo",
    "collect",
    "enact",
    "group",
    "undo",
    "compare",
    "ou",
    "move",
    "grant",
    "admit",
    "account",
    "approve",
    "retire",
    "tidy",
    "picture",
)
"""Commands whose example wants a past, a yes, or a file of one's own."""


def test_the_command_reference_is_current() -> None:
    """The page that is made from the program equals what the program would make of it now."""
    done = subprocess.run(
        [sys.executable, "docs/make_reference.py", "--check"], cwd=ROOT, capture_output=True, text=True, check=False
    )

    assert done.returncode == 0, done.stderr


def test_every_help_ends_in_an_example_that_runs(demo: Program) -> None:
    """The last line of each help text can be pasted in the demo workspace, and is no wrong use."""
    for name in COMMANDS:
        last = demo(name, "--help").out.strip().splitlines()[-1].strip()
        assert last.startswith(f"Example: adzeguard {name}"), name
        if name not in NEEDS_MORE:
            import shlex

            ran = demo(*shlex.split(last.removeprefix("Example: adzeguard ")))
            assert ran.code in (0, 3), (name, ran.err)


def test_every_picture_is_linked_and_every_link_leads_somewhere() -> None:
    """The README shows the pictures there are, and its links lead to files there are."""
    links = set(re.findall(r"\]\(([^)#]+)\)", (ROOT / "README.md").read_text()))
    pictures = {str(path.relative_to(ROOT)) for path in (ROOT / "docs/screenshots").glob("*.png")}

    assert all((ROOT / link).is_file() for link in links)
    assert pictures <= links
    assert 0 < len(pictures) < 20


def test_the_guide_tells_every_way_into_a_group_with_its_source() -> None:
    """A way that is added to the table has its line in the guide: what is needed, and where that is said."""
    guide = (ROOT / "docs/guide.md").read_text()
    for way in (*WAYS, LINKING):
        words = way.sentence.replace("{}", "").removeprefix(", being in it,").strip().split("  ")[0]
        assert words in guide, way.sentence
        assert all(source.strip() in guide for source in way.source.split(", ")), way.sentence


def test_the_daily_tasks_run_as_they_are_written(demo: Program) -> None:
    """Each line of each page, in its order: none is wrong use, and none fails."""
    import shlex

    demo("trail", "import", "trail.jsonl")
    demo("round")
    lines = re.findall(r"^\$ adzeguard ?(.*)$", (ROOT / "docs/tasks.md").read_text(), re.MULTILINE)
    assert len(lines) > 20
    for line in lines:
        ran = demo(*shlex.split(line))
        assert ran.code in (0, 3, 4), (line, ran.err)
