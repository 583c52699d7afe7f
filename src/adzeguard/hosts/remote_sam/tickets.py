"""A ticket for one host, got by the system's own Kerberos: by the tickets that are there, or by a key table.

The library can get one itself, and a KDC that wants its questions sealed (Heimdal 8, as in Samba 4.17) refuses it:
KRB_AP_ERR_INAPP_CKSUM.
"""

import struct
import tempfile
from dataclasses import field
from pathlib import Path
from typing import Any

from impacket.krb5.ccache import CCache
from impacket.krb5.keytab import Keytab

from adzeguard.core.errors import SettingsError
from adzeguard.core.values import dataclass
from adzeguard.kerberos_client import run_client
from adzeguard.private_files import check_key_table


@dataclass(frozen=True, slots=True)
class Ticket:
    """A ticket for the file service of a host, as the library takes it, and for whom it is."""

    account: str
    realm: str
    content: dict[str, Any] = field(repr=False)


def ticket_for(host: str, keytab: str = "") -> Ticket:
    """Return the ticket for a host by its whole DNS name.

    `HostRefusedError` where none is given, `SettingsError` for a key table that cannot be used.
    """
    with tempfile.TemporaryDirectory() as folder:
        given = [] if not keytab else ["-c", f"FILE:{folder}/own"]
        if keytab:
            check_key_table(keytab)
            run_client("kinit", "-k", "-t", keytab, *given, _principal(keytab))
        out = Path(folder) / "for"
        run_client("kvno", "-q", *given, "--out-cache", f"FILE:{out}", f"cifs/{host}")
        found = CCache.loadFile(str(out)).credentials[0]
        account, _, realm = found["client"].prettyPrint().decode().rpartition("@")
        return Ticket(account, realm, found.toTGS())


def _principal(keytab: str) -> str:
    """Return whom a key table is for: the first that stands in it."""
    try:
        return str(Keytab(Path(keytab).read_bytes()).entries[0].main_part["principal"].prettyPrint().decode())
    except (struct.error, ValueError, KeyError, IndexError, TypeError, OSError) as error:
        raise SettingsError(f"{keytab} is no key table", "Look at it: klist -k FILE") from error
