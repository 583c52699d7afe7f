"""Whom a workspace may be believed: what it says is carried out with our passwords and rights, as root often enough.

Somebody else's adzeguard.toml above the folder in which root worked sent its password to their server; a charter that
everybody may write was enacted by the next round.
"""

import grp
import os
from errno import ELOOP
from pathlib import Path
from stat import S_ISVTX, S_IWGRP, S_IWOTH

from adzeguard.account_names import account_name
from adzeguard.core.errors import SettingsError


def ensure_ours(path: Path) -> None:
    """Return quietly if a file or folder, and every folder above it, is ours or root's and nobody else may write it.

    `SettingsError` says which one is not, and how that is mended. What is not there yet is nobody's.
    """
    try:
        whole = path.resolve()
    except (OSError, RuntimeError) as error:  # the library raises the latter for links that lead round, until 3.13
        raise SettingsError(f"{path} cannot be read: {os.strerror(ELOOP)}") from error
    for one in (whole, *whole.parents):
        try:
            about = one.stat()
        except (FileNotFoundError, NotADirectoryError):
            continue
        except OSError as error:
            raise SettingsError(f"{one} cannot be looked at: {error.strerror}") from error
        if about.st_uid not in _ours():
            raise SettingsError(
                f"{one} belongs to {_name_of(about.st_uid)}, who can have {path} say anything",
                f"Work in a folder of your own, or: chown {_name_of(os.geteuid())} '{one}'",
            )
        # In a sticky folder, such as /tmp, nobody can put anything in the place of what is ours (unlink(2), EPERM). In
        # the folder itself they could still add to it: a rule in a new file, say.
        if one != whole and about.st_mode & S_ISVTX:
            continue
        if about.st_mode & S_IWOTH or (about.st_mode & S_IWGRP and not _is_private(about.st_gid)):
            raise SettingsError(f"others may write {one}, and with it {path}", f"Run: chmod go-w '{one}'")


def _ours() -> set[int]:
    """We, root, and whoever called sudo to be root now: sudo itself says so, and clears what was said before."""
    caller = os.environ.get("SUDO_UID", "") if os.geteuid() == 0 else ""
    return {os.geteuid(), 0} | ({int(caller)} if caller.isdecimal() else set())


def _is_private(group: int) -> bool:
    """Tell whether a group is that of one person alone, as many systems make one for everybody with umask 002."""
    try:
        found = grp.getgrgid(group)
    except KeyError:
        return False
    owners = {_name_of(number) for number in _ours()}
    return found.gr_name in owners and set(found.gr_mem) <= owners


def _name_of(number: int) -> str:
    return account_name(number) or str(number)
