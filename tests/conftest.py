"""What many tests need: the built program, the demo workspace, small estates."""

import json
import os
import re
import shutil
import subprocess
import sys
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, settings

pytest_plugins = [
    "tests.certificates",
    "tests.mail_server",
    "tests.postgres",
    "tests.linux.sandbox",
    "tests.server.member",
]

settings.register_profile("usual", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("long", deadline=None, max_examples=10_000, suppress_health_check=list(HealthCheck))
settings.load_profile(os.environ.get("PROPERTY_TESTS", "usual"))

Json = Any


@dataclass(frozen=True)
class Ran:
    """One finished run of the program."""

    code: int
    out: str
    err: str

    @property
    def json(self) -> Json:
        return json.loads(self.out)


class Program:
    """The built program, run as people run it: as a process, in a folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        ours = ("ADZEGUARD_PASSWORD", "FORCE_COLOR", "COLUMNS")
        self.environment = {name: value for name, value in os.environ.items() if name not in ours}

    def __call__(self, *arguments: str | Path, typed: str | None = None, timeout: float = 120) -> Ran:
        command = [sys.executable, "-m", "adzeguard", *map(str, arguments)]
        done = subprocess.run(
            command,
            cwd=self.folder,
            input=typed or "",
            capture_output=True,
            text=True,
            timeout=timeout,
            check=False,
            env=self.environment,
        )
        assert "Traceback" not in done.stderr, done.stderr
        assert "should not happen" not in done.stderr, done.stderr
        return Ran(done.returncode, done.stdout, done.stderr)


@pytest.fixture(scope="session")
def demo_as_made(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The demo workspace, made and collected once; copy it before changing it."""
    folder = tmp_path_factory.mktemp("demo") / "lowmere"
    made = Program(folder.parent)("demo", folder, "--only-make")
    assert made.code == 0, made.err
    assert Program(folder)("collect").code == 4
    return folder


@pytest.fixture
def demo(demo_as_made: Path, tmp_path: Path) -> Program:
    """The program in a demo workspace of its own."""
    return Program(Path(shutil.copytree(demo_as_made, tmp_path / "lowmere")))


def insisting(program: Program, *arguments: str) -> Ran:
    """Run a command that opens a way into a privileged group again, and name the number that it asks for."""
    asked = program(*arguments)
    named = re.search(r"Give --new-reach (\d+) if", asked.err)
    assert (asked.code, bool(named)) == (1, True), asked.err
    return program(*arguments, "--new-reach", named.group(1) if named else "")
