"""Stand-in hosts: read and changed as told, and never outside their folder."""

import json
from pathlib import Path

import pytest

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember, RemoveLocalMember
from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnknownError, HostUnreachableError
from adzeguard.core.estate.hosts import Host, HostState
from adzeguard.core.estate.named import Named
from adzeguard.core.identity import Sid
from adzeguard.hosts.standin import StandinHosts

ADMINS, ADA, BEN = Sid("S-1-5-32-544"), Sid("S-1-5-21-1-1-1-1001"), Sid("S-1-5-21-1-1-1-1002")


def adding(group: Sid, member: Sid) -> Change:
    """Put a member in."""
    return AddLocalMember(host="K-1", group=Named("g", group), member=Named("m", member), rule="r")


def removing(group: Sid, member: Sid) -> Change:
    """Take a member out."""
    return RemoveLocalMember(host="K-1", group=Named("g", group), member=Named("m", member), rule="r")


def make(folder: Path, host: str, change: Change) -> None:
    """Make one change in a session of its own."""
    with StandinHosts(folder).session(Host(1, host, f"CN={host}")) as session:
        session.change(change)


def read(folder: Path, host: str) -> HostState:
    """Read a host in a session of its own."""
    with StandinHosts(folder).session(Host(1, host, f"CN={host}")) as session:
        return session.read()


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
    before = path.read_bytes()
    make(tmp_path, "k-1", adding(ADMINS, BEN))
    group = read(tmp_path, "K-1").group(ADMINS)
    assert group is not None
    assert group.members == {ADA, BEN}
    make(tmp_path, "K-1", removing(ADMINS, BEN))

    assert path.read_bytes() == before


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (adding(ADMINS, ADA), "holds S-1-5-21-1-1-1-1001 already"),
        (removing(ADMINS, BEN), "does not hold"),
        (adding(BEN, ADA), "has no local group"),
    ],
)
def test_what_a_host_would_refuse_is_refused(tmp_path: Path, change: Change, said: str) -> None:
    """Adding twice, removing a stranger and naming no group are refused and write nothing."""
    before = write(tmp_path).read_bytes()
    with pytest.raises(HostRefusedError, match=said):
        make(tmp_path, "K-1", change)

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
        read(tmp_path, "K-1")


@pytest.mark.parametrize("name", ["../K-1", "/etc/passwd", "..", "", "a\0b", "x\\y", "NONE"])
def test_a_name_never_leads_out_of_the_folder(tmp_path: Path, name: str) -> None:
    """Host names come from the directory and are not trusted; an unknown one is no host of this driver."""
    (tmp_path / "inner").mkdir()
    write(tmp_path)
    with pytest.raises(HostUnknownError):
        read(tmp_path / "inner", name)
