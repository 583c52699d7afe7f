"""What many tests need: the demo workspace, and the servers."""

import shutil
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from tests.alone import leave_the_network
from tests.long_tests import LONG, SEED
from tests.program import Program

pytest_plugins = [
    "tests.certificates",
    "tests.mail_server",
    "tests.postgres",
    "tests.linux.sandbox",
    "tests.linux.nav",
    "tests.server.member",
]

settings.register_profile("usual", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("long", deadline=None, max_examples=10_000, suppress_health_check=list(HealthCheck))
settings.load_profile("long" if LONG else "usual")

SHARED = {"server": "directory server", "domains": "two domains", "linux_host": "linux host", "postgres": "database"}
"""What is made once and shared: the tests that use it run in one process, one after the other."""
_TWO_SERVERS = 2
"""Each process has a directory server of its own, so that half of its files wait for nobody: in one process they took a
quarter of an hour, while the other stood still. Those that need a member host, which is dear too, stay together."""


def pytest_configure() -> None:
    """Leave the network before the first test."""
    leave_the_network()


def pytest_report_header() -> str:
    """Say what was chosen of what is dear, so that a run can be made again."""
    return "all of what is dear" if LONG else f"a part of what is dear, by TESTS_SEED={SEED}"


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """Keep together what shares a server; the long ones of the rest begin first."""
    files = {str(item.path): set() for item in items if "server" in getattr(item, "fixturenames", ())}
    for item in items:
        if str(item.path) in files:
            files[str(item.path)] |= set(getattr(item, "fixturenames", ()))
    alone = sorted(name for name, used in files.items() if "member" not in used)
    with_members = {name for name in files if name not in alone} | set(alone[:: _TWO_SERVERS + 1])
    for item in items:
        used = set(getattr(item, "fixturenames", ()))
        if "new_store" in used and "postgres" in item.name:
            used.add("postgres")
        for fixture, group in SHARED.items():
            if fixture in used:
                half = " beside members" if group == SHARED["server"] and str(item.path) in with_members else ""
                item.add_marker(pytest.mark.xdist_group(group + half))
                break


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
