"""Stand-in hosts: read and changed as told, and never outside their folder."""

import json
from pathlib import Path

import pytest

from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnknownError, HostUnreachableError
from adzeguard.core.identity import Sid
from adzeguard.hosts.port import LocalGroupChange
from adzeguard.hosts.standin import StandinHosts

ADMINS, ADA, BEN = Sid("S-1-5-32-544"), Sid("S-1-5-21-1-1-1-1001"), Sid("S-1-5-21-1-1-1-1002")


def write(folder: Path, **other: object) -> Path:
    """A host with one administrator."""
    content = {
        "host": "K-1",
        "machine_sid": "S-1-5-21-7-7-7",
        "accounts": [],
        "local_groups": [{"name": "Admins", "sid": ADMINS, "members": [ADA]}],
    }
    path = folder / "K-1.json"
    path.write_text(json.dumps(content | other, indent=1) + "\n")
    return path


def test_a_change_touches_the_members_and_nothing_else(tmp_path: Path) -> None:
    """Putting a member in and taking it out again leaves the file byte for byte."""
    path = write(tmp_path)
    before, hosts = path.read_bytes(), StandinHosts(tmp_path)
    hosts.change("k-1", LocalGroupChange(ADMINS, BEN, add=True))
    group = hosts.read("K-1").group(ADMINS)
    assert group is not None
    assert group.members == {ADA, BEN}
    hosts.change("K-1", LocalGroupChange(ADMINS, BEN, add=False))

    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (LocalGroupChange(ADMINS, ADA, add=True), "holds S-1-5-21-1-1-1-1001 already"),
        (LocalGroupChange(ADMINS, BEN, add=False), "does not hold"),
        (LocalGroupChange(BEN, ADA, add=True), "has no local group"),
    ],
)
def test_what_a_host_would_refuse_is_refused(tmp_path: Path, change: LocalGroupChange, said: str) -> None:
    """Adding twice, removing a stranger and naming no group are refused and write nothing."""
    before = write(tmp_path).read_bytes()
    with pytest.raises(HostRefusedError, match=said):
        StandinHosts(tmp_path).change("K-1", change)

    assert (tmp_path / "K-1.json").read_bytes() == before


@pytest.mark.parametrize(
    ("other", "error"),
    [
        ({"behaviour": {"offline": True}}, HostUnreachableError),
        ({"behaviour": {"refuses": True}}, HostRefusedError),
        ({"behaviour": {"slow_seconds": -1}}, HostFileError),
        ({"machine_sid": 7}, HostFileError),
        ({"surprise": 1}, HostFileError),
    ],
)
def test_a_host_behaves_as_its_file_says(tmp_path: Path, other: dict, error: type[Exception]) -> None:
    """Switched off, unwilling, or a file that is wrong: each is its own error."""
    write(tmp_path, **other)
    with pytest.raises(error):
        StandinHosts(tmp_path).read("K-1")


@pytest.mark.parametrize("name", ["../K-1", "/etc/passwd", "..", "", "a\0b", "x\\y", "NONE"])
def test_a_name_never_leads_out_of_the_folder(tmp_path: Path, name: str) -> None:
    """Host names come from the directory and are not trusted; an unknown one is no host of this driver."""
    (tmp_path / "inner").mkdir()
    write(tmp_path)
    with pytest.raises(HostUnknownError):
        StandinHosts(tmp_path / "inner").read(name)
