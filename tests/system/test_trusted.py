"""A workspace that somebody else can change is not believed."""

import os
import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

from tests.program import Program

STRANGER = 65534
pytestmark = pytest.mark.skipif(os.geteuid() != 0, reason="only root can give files away")
WAYS: dict[str, Callable[[Path], None]] = {
    "adzeguard.toml": lambda folder: os.chown(folder / "adzeguard.toml", STRANGER, STRANGER),
    "charter": lambda folder: (folder / "charter").chmod(0o777),
    "charter/charter.yaml": lambda folder: (folder / "charter/charter.yaml").chmod(0o666),
    ".adzeguard": lambda folder: (folder / ".adzeguard").chmod(0o1777),
    "hosts": lambda folder: os.chown(folder / "hosts", STRANGER, STRANGER),
    "": lambda folder: folder.chmod(0o775) or os.chown(folder, 0, STRANGER),
}


@pytest.mark.parametrize("part", WAYS)
def test_what_somebody_else_may_write_is_not_carried_out(demo: Program, part: str) -> None:
    """Whose folder or file it is, or by which mode, is said in one line with the way out; no round changes anything."""
    hosts = demo.folder / "hosts"
    before = {path.name: path.read_bytes() for path in hosts.glob("*.json")}
    WAYS[part](demo.folder)
    refused = demo("round")
    assert refused.code == 1
    [line] = [one for one in refused.err.splitlines() if one.startswith("adzeguard: ")]
    assert str(demo.folder / part).rstrip("/") in line
    assert "chmod go-w" in line or "chown root" in line
    assert {path.name: path.read_bytes() for path in hosts.glob("*.json")} == before


def test_settings_that_lie_above_are_no_trap(demo: Program) -> None:
    """Below a folder in which anybody may write, a stranger's adzeguard.toml is refused before it is read."""
    place = demo.folder / "place"
    (place / "below").mkdir(parents=True)
    place.chmod(0o1777)
    (place / "adzeguard.toml").write_text('[directory]\nkind = "ldap"\nurl = "ldap://127.0.0.1:1"\nplain_ldap = true\n')
    os.chown(place / "adzeguard.toml", STRANGER, STRANGER)
    trapped = Program(place / "below")
    trapped.environment |= {"ADZEGUARD_PASSWORD": "secret", "ADZEGUARD_PASSWORD_FOR": "ldap://127.0.0.1:1"}
    refused = trapped("collect")
    assert (refused.code, "belongs to nobody" in refused.err) == (1, True)


def test_a_sticky_folder_above_and_the_caller_of_sudo_are_no_hindrance(demo: Program) -> None:
    """As in /tmp, and as where somebody works with sudo in a folder of their own."""
    above = demo.folder.parent / "sticky"
    above.mkdir()
    above.chmod(0o1777)
    moved = above / "workspace"
    shutil.copytree(demo.folder, moved)
    program = Program(moved)
    assert program("status").code == 0
    for path in (moved, *moved.rglob("*")):
        os.chown(path, STRANGER, STRANGER)
    assert program("status").code == 1
    program.environment["SUDO_UID"] = str(STRANGER)
    assert program("status").code == 0
