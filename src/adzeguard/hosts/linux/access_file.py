"""The file of ours that pam_access(8) reads for one way of logging on.

Fields are split at bars and lists at commas, as the line of the service says, so that a name may hold spaces. A line
that cannot be parsed lets everybody pass (seen on Linux-PAM 1.5.2), so that every name is checked before it is written.
"""

from collections.abc import Sequence
from dataclasses import field
from typing import Final

from adzeguard.core.values import dataclass
from adzeguard.hosts.linux.safe_names import access_name

SERVICES: Final = {"console": "login", "remote": "sshd"}
"""The PAM service of each way."""
HEAD: Final = "# Written by adzeguard, which writes it anew: what is changed here by hand is lost.\n"


def access_path(way: str) -> str:
    """Return where the file for a way stands."""
    return f"/etc/security/adzeguard-{way}.conf"


def pam_line(way: str) -> str:
    """Return the line that the PAM service of a way must have."""
    return f"account required pam_access.so accessfile={access_path(way)} fieldsep=| listsep=, nodefgroup"


@dataclass(frozen=True, slots=True)
class Logons:
    """Names for one way: accounts and groups that are refused; those that alone may, or None for everybody."""

    refused_accounts: Sequence[str] = ()
    refused_groups: Sequence[str] = ()
    alone_accounts: Sequence[str] | None = None
    alone_groups: Sequence[str] = ()
    always: Sequence[str] = field(default=("root",))
    """Who always gets in: the first line that fits decides."""


def access_text(logons: Logons) -> str:
    """Return the file; `HostRefusedError` for a name that cannot be written into one.

    For nobody it is empty, as whoever set up the service of PAM made it: nothing of ours is left then.
    """
    if not (logons.refused_accounts or logons.refused_groups) and logons.alone_accounts is None:
        return ""
    lines = [f"+|{access_name(name)}|ALL" for name in dict.fromkeys(logons.always)]
    lines += [f"-|{access_name(name)}|ALL" for name in sorted(logons.refused_accounts)]
    lines += [f"-|({access_name(name)})|ALL" for name in sorted(logons.refused_groups)]
    if logons.alone_accounts is not None:
        lines += [f"+|{access_name(name)}|ALL" for name in sorted(logons.alone_accounts)]
        lines += [f"+|({access_name(name)})|ALL" for name in sorted(logons.alone_groups)]
        lines.append("-|ALL|ALL")
    return HEAD + "\n".join(lines) + "\n"
