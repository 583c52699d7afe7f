"""The system's own Kerberos: whose tickets are used now, and its client, run where a library has nothing like it.

RFC 4120; kinit(1), kvno(1). Which tickets the libraries take is said by the environment of the whole process, and one
command can sign in to several servers as several people: so it is said anew before each sign-in.
"""

import os
import re
import shutil
import subprocess
from atexit import register
from collections.abc import Callable, Mapping
from datetime import datetime
from functools import cache
from hashlib import blake2b
from pathlib import Path
from tempfile import mkdtemp
from typing import Final

from adzeguard.core.errors import CredentialsRefusedError, DirectoryUnreachableError, SettingsError
from adzeguard.private_files import check_key_table

_WAIT: Final = 30
_IN_MEMORY: Final = Path("/dev/shm")  # noqa: S108 - a folder of our own is made in it
_WRONG: Final = ("Password incorrect", "Preauthentication failed", "not found in Kerberos database")
_CACHE: Final = "KRB5CCNAME"
_KEYS: Final = "KRB5_CLIENT_KTNAME"
_KINIT: Final = "Get one: kinit; or name a key table: keytab"
_KLIST: Final = "Look at it: klist -k FILE"
_TROUBLES: Final = (
    ("No Kerberos credentials available", "there is no ticket", _KINIT),
    ("No credentials cache found", "there is no ticket", _KINIT),
    ("Ticket expired", "the ticket has expired", "Get a new one: kinit"),
    ("Clock skew too great", "the clocks of this host and of the server differ too much", "Set this host's clock"),
    (
        "Server not found in Kerberos database",
        "the realm knows no {} server of this name",
        "Write the server's whole DNS name, not its address",
    ),
    ("Cannot find KDC", "no server of the realm is known", "Name it in /etc/krb5.conf, or let the DNS tell it"),
    ("Cannot contact any KDC", "no server of the realm answers", "Is it up, and reachable from here?"),
    ("Preauthentication failed", "the key table has an old key", "Make the key table anew"),
    ("Client not found", "the realm does not know who the key table is for", "Make the key table anew"),
    ("key table", "the key table cannot be used", _KLIST),
    ("Key table", "the key table cannot be used", _KLIST),
)
"""What stands in the libraries' own words, what it means, and the way out."""
_ENDS: Final = re.compile(r"^\S+ \S+  (\S+ \S+)  krbtgt/", re.MULTILINE)
"""In the list of klist(1), the end of a ticket for tickets."""
_GIVEN: Final = {name: os.environ.get(name) for name in (_CACHE, _KEYS)}
"""What the environment said when the program began: the tickets of who runs it."""


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


def trouble_with_ticket(said: str, service: str, *, by_keys: bool) -> tuple[str, str] | None:
    """Return what the words of the system's libraries mean, and the way out; None where they are about something else.

    `service` is what was to be signed in to; `by_keys` says that a key table was to get the ticket.
    """
    for sign, words, way_out in _TROUBLES:
        if sign in said and by_keys and way_out == _KINIT:
            return "the key table gives no ticket", _KLIST
        if sign in said:
            return words.format(service), way_out
    return None


def ticket_ends() -> datetime | None:
    """Return when the ticket of who runs the program ends; None where the system's client lists none."""
    if shutil.which("klist") is None:
        return None
    given = {name: value for name, value in _GIVEN.items() if value is not None}
    environment = {**os.environ, **given, "LC_ALL": "C", "TZ": "UTC"}
    try:
        ran = subprocess.run(["klist"], capture_output=True, timeout=_WAIT, check=False, env=environment)
    except subprocess.TimeoutExpired:
        return None
    found = _ENDS.search(ran.stdout.decode("utf-8", "replace"))
    if found is None:
        return None
    try:
        return datetime.strptime(f"{found[1]} +0000", "%m/%d/%y %H:%M:%S %z")
    except ValueError:
        return None


def signs_in_by_ticket(settings: Mapping[str, str], table: str) -> bool:
    """Tell whether a table of the settings signs in by Kerberos; `SettingsError` for keys that exclude each other."""
    way, keytab = settings.get("sign_in", ""), settings.get("keytab", "")
    if way not in ("", "password", "kerberos"):
        raise SettingsError(f"[{table}] sign_in must be password or kerberos, not '{way}'")
    if way != "kerberos" and keytab:
        raise SettingsError(f"[{table}] keytab is for sign_in = kerberos alone", 'Write sign_in = "kerberos"')
    if keytab and settings.get("bind_as"):
        raise SettingsError(f"[{table}] has keytab and bind_as", "A key table says itself who it is for")
    return way == "kerberos"


def use_tickets(keytab: str, name: str, secret: Callable[[], str]) -> None:
    """Take those of a key table, or that a password gets for a name, or, with neither, of who runs the program."""
    if keytab:
        _use_keys(keytab)
    elif name:
        _use_password(name, secret)
    else:
        _use(_GIVEN)


def _use_keys(keytab: str) -> None:
    """Take a key table, by which the libraries get tickets themselves, and new ones before the old ones end."""
    check_key_table(keytab)
    _use({_CACHE: f"MEMORY:adzeguard-{_short(keytab)}", _KEYS: f"FILE:{keytab}"})


def _use_password(name: str, secret: Callable[[], str]) -> None:
    """Take a ticket that a password gets, once; it lies in memory, where there is such a folder, and goes with us.

    `name` is as the realm has it, `name@REALM` or `name`.
    """
    if "\\" in name or "=" in name:
        raise SettingsError(f"'{name}' is no name for a ticket", "Write bind_as as name@REALM")
    kept_in = _folder_of_ours() / _short(name)
    if not kept_in.exists():
        run_client("kinit", "-c", f"FILE:{kept_in}", name, given=f"{secret()}\n")
    _use({_CACHE: f"FILE:{kept_in}", _KEYS: _GIVEN[_KEYS]})


def _use(environment: dict[str, str | None]) -> None:
    for name, value in environment.items():
        if value is None:
            os.environ.pop(name, None)
        else:
            os.environ[name] = value


def _short(text: str) -> str:
    return blake2b(text.encode("utf-8", "surrogateescape"), digest_size=8).hexdigest()


@cache
def _folder_of_ours() -> Path:
    folder = Path(mkdtemp(prefix="adzeguard-", dir=_IN_MEMORY if _IN_MEMORY.is_dir() else None))
    register(shutil.rmtree, folder, ignore_errors=True)
    return folder
