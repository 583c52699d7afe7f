"""Other versions of the charter: with one file changed, in another folder, or as a revision of git has it.

Each is a folder of its own, called like the charter's, so that every message names the same places.
"""

import shutil
import subprocess
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from adzeguard.core.errors import UsageError
from adzeguard.settings.charter_yaml import charter_files

_PATIENCE: Final = 60.0
_FILES: Final = ("100644", "100755")
"""The modes of plain files in a tree of git; links and folders are other ones."""
_READ: Final = (".yaml", ".yml", ".csv")


@contextmanager
def version_called(charter: Path, name: str) -> Iterator[Path]:
    """Give the folder of a version: a folder, a file in the place of the one of its name, or a revision of git.

    `UsageError` if there is none of them.
    """
    path = Path(name)
    if path.is_dir():
        yield path
    elif path.is_file():
        with with_file(charter, path.name, path.read_bytes()) as folder:
            yield folder
    else:
        with _at_revision(charter, name) as folder:
            yield folder


@contextmanager
def with_file(charter: Path, name: str, content: bytes) -> Iterator[Path]:
    """Give a copy of the charter in which one file says something else."""
    with _new_folder(charter.name) as folder:
        for path in [*charter_files(charter), *charter.glob("*.csv")]:
            shutil.copyfile(path, folder / path.name)
        (folder / name).write_bytes(content)
        yield folder


@contextmanager
def _at_revision(charter: Path, revision: str) -> Iterator[Path]:
    # Read as blobs alone: a checkout would run filters and hooks that the repository names.
    if revision.startswith("-"):
        raise UsageError(f"'{revision}' is no revision", "Name a folder, a file or a revision of git, such as HEAD~1")
    inside = (
        _git(charter, revision, "rev-parse", "--show-prefix").decode("utf-8", "surrogateescape").strip().rstrip("/")
    )
    listed = _git(charter, revision, "ls-tree", "-z", "--full-tree", f"{revision}:{inside}")
    with _new_folder(charter.name) as folder:
        for entry in filter(None, listed.split(b"\0")):
            about, _, name = entry.partition(b"\t")
            mode, _, object_id = about.decode().split(" ")
            path = folder / name.decode("utf-8", "surrogateescape")
            if mode in _FILES and path.suffix in _READ and path.parent == folder:
                path.write_bytes(_git(charter, revision, "cat-file", "blob", object_id))
        yield folder


def _git(charter: Path, revision: str, *words: str) -> bytes:
    try:
        done = subprocess.run(
            ["git", "-C", str(charter), *words],
            capture_output=True,
            check=False,
            timeout=_PATIENCE,
            stdin=subprocess.DEVNULL,
        )
    except FileNotFoundError as error:
        raise UsageError("there is no git here to ask for a revision", "Name a folder or a file") from error
    except subprocess.TimeoutExpired as error:
        raise UsageError("git does not answer", "Name a folder or a file") from error
    if done.returncode:
        said = done.stderr.decode("utf-8", "replace").strip().splitlines()
        raise UsageError(
            f"'{revision}' is no folder, no file and no revision here: {said[0] if said else 'git says no'}",
            "Name a folder, a file, or a revision of the repository that the charter is in, such as HEAD~1",
        )
    return done.stdout


@contextmanager
def _new_folder(name: str) -> Iterator[Path]:
    with tempfile.TemporaryDirectory(prefix="adzeguard-charter-") as outer:
        folder = Path(outer) / (name or "charter")
        folder.mkdir(mode=0o700)
        yield folder
