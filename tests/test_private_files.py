"""Where results are written to: a file, or what is there and is no file."""

import os
import stat
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from adzeguard.private_files import write_result
from tests.program import Program


@pytest.fixture
def device(tmp_path: Path) -> Path:
    """A device that swallows everything, made for this test."""
    path = tmp_path / "null"
    try:
        os.mknod(path, stat.S_IFCHR | 0o666, os.makedev(1, 3))
    except PermissionError:
        pytest.skip("needs root, to make a device")
    return path


def test_a_device_is_written_into_and_stays_what_it_is(demo: Program, device: Path) -> None:
    """By every command that writes a result, also where a link leads there: the node is the same afterwards."""
    before = device.stat()
    (device.parent / "linked").symlink_to(device)
    for place in (device, device.parent / "linked"):
        assert demo("who", "Domain Admins", "--format", "csv", "--output", place).code == 0
        assert demo("propose", "--output", place).code == 3
        assert demo("metrics", "--output", place, "--readable").code == 0
    after = device.stat()
    assert stat.S_ISCHR(after.st_mode)
    assert (after.st_ino, after.st_mode, after.st_rdev) == (before.st_ino, before.st_mode, before.st_rdev)


def test_a_pipe_is_written_into(demo: Program) -> None:
    """Whoever reads there gets the result, and the pipe is still one."""
    pipe = demo.folder / "pipe"
    os.mkfifo(pipe)
    read: list[bytes] = []
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    assert demo("who", "Domain Admins", "--format", "json", "--output", pipe).code == 0
    reader.join(60)
    assert b"isolde.varn.adm" in read[0]
    assert stat.S_ISFIFO(pipe.stat().st_mode)


def test_its_own_streams_are_gone_on_with(tmp_path: Path) -> None:
    """A stream that was sent into a file keeps what was written there before."""
    script = "from pathlib import Path; from adzeguard.private_files import write_result\n"
    script += "print('before', flush=True); write_result(Path('/dev/stdout'), b'within\\n'); print('after')"
    with (tmp_path / "out").open("w") as out:
        subprocess.run([sys.executable, "-c", script], stdout=out, check=True)
    assert (tmp_path / "out").read_text() == "before\nwithin\nafter\n"


def test_a_link_to_a_file_is_refused_and_what_it_leads_to_is_kept(demo: Program, tmp_path: Path) -> None:
    """Also one that leads nowhere; a plain file is replaced whole, and nobody else may read it."""
    (tmp_path / "kept").write_text("kept")
    for name, target in (("link", "kept"), ("nowhere", "absent")):
        (tmp_path / name).symlink_to(tmp_path / target)
        refused = demo("who", "Domain Admins", "--output", tmp_path / name)
        assert (refused.code, "it is a link; name the file itself" in refused.err) == (2, True)
        assert (tmp_path / name).is_symlink()
    assert ((tmp_path / "kept").read_text(), (tmp_path / "absent").exists()) == ("kept", False)
    write_result(tmp_path / "kept", b"new")
    assert ((tmp_path / "kept").read_text(), (tmp_path / "kept").stat().st_mode & 0o777) == ("new", 0o600)


def test_a_folder_is_no_place_for_a_result(tmp_path: Path) -> None:
    """The system's own no is passed on."""
    with pytest.raises(IsADirectoryError):
        write_result(tmp_path, b"x")


def test_a_folder_that_is_not_there_is_not_made(demo: Program) -> None:
    """A result goes where it was sent or nowhere: somebody may have mistyped the folder."""
    for words in (("who", "Domain Admins", "--format", "csv"), ("propose",), ("metrics",)):
        refused = demo(*words, "--output", "papres/result")
        assert (refused.code, "papres/result" in refused.err, refused.err.count("\n")) == (2, True, 1), refused.err
    assert not (demo.folder / "papres").exists()
