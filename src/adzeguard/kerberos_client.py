"""The system's own Kerberos client, run where a library has nothing like it (RFC 4120; kinit(1), kvno(1))."""

import os
import shutil
import subprocess
from atexit import register
from collections.abc import Callable
from functools import cache
from pathlib import Path
from tempfile import mkdtemp
from typing import Final

from adzeguard.core.errors import CredentialsRefusedError, DirectoryUnreachableError, SettingsError

_WAIT: Final = 30
_IN_MEMORY: Final = Path("/dev/shm")  # noqa: S108 - a folder of our own is made in it
_WRONG: Final = ("Password incorrect", "Preauthentication failed", "not found in Kerberos database")


def run_client(*command: str, given: str = "") -> None:
    """Run one of its programs, by name and without a shell; `CredentialsRefusedError` with what it says against it."""
    if shutil.which(command[0]) is None:
        raise SettingsError(f"{command[0]} is missing", "Install Kerberos' own client; with Debian: krb5-user")
    environment = {**os.environ, "LC_ALL": "C"}
    try:
        ran = subprocess.run(
            command, input=given.encode(), capture_output=True, timeout=_WAIT, check=False, env=environment
        )
    except subprocess.TimeoutExpired as error:
        raise DirectoryUnreachableError("no ticket: the realm does not answer", "Is a server of it up?") from error
    if ran.returncode:
        said = " ".join(ran.stderr.decode("utf-8", "replace").split())[:200]
        wrong = any(word in said for word in _WRONG)
        way_out = "Check the name and its password or keys" if wrong else "Get a ticket by hand, to see more: kinit"
        raise CredentialsRefusedError(f"no ticket: {said}", way_out)


@cache
def _folder_of_ours() -> Path:
    folder = Path(mkdtemp(prefix="adzeguard-", dir=_IN_MEMORY if _IN_MEMORY.is_dir() else None))
    register(shutil.rmtree, folder, ignore_errors=True)
    return folder


def sign_in_by_password(name: str, secret: Callable[[], str]) -> None:
    """Get a ticket for this process alone, once; it lies in memory, where there is such a folder, and goes with it.

    `name` is as the realm has it, `name@REALM` or `name`.
    """
    kept_in = f"FILE:{_folder_of_ours()}/tickets"
    if os.environ.get("KRB5CCNAME") == kept_in:
        return
    if "\\" in name or "=" in name:
        raise SettingsError(f"'{name}' is no name for a ticket", "Write bind_as as name@REALM")
    run_client("kinit", "-c", kept_in, name, given=f"{secret()}\n")
    os.environ["KRB5CCNAME"] = kept_in
