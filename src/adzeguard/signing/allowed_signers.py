"""Who may sign: the allowed signers file of OpenSSH (ssh-keygen(1), ALLOWED SIGNERS)."""

import base64
import binascii
import re
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Final

from adzeguard.core.errors import SettingsError, SignatureError
from adzeguard.core.values import dataclass
from adzeguard.signing.ssh_signature import PROPOSAL

_LINE: Final = re.compile(
    r"""^(?P<who>"[^"]*"|\S+)\s+
    (?:(?P<options>(?:[^\s"]|"[^"]*")+)\s+)?
    (?P<kind>(?:ssh|ecdsa|sk)-[\w@.-]+)\s+(?P<key>[A-Za-z0-9+/=]+)(?:\s.*)?$""",
    re.VERBOSE,
)
_OPTION: Final = re.compile(r'(?P<name>[\w-]+)(?:="(?P<value>[^"]*)")?(?:,|$)')
_LARGEST: Final = 1024 * 1024
_FORMS: Final = {8: "%Y%m%d", 12: "%Y%m%d%H%M", 14: "%Y%m%d%H%M%S"}
_PATTERN: Final = frozenset("*?!")


@dataclass(frozen=True, slots=True)
class Signer:
    """One key of one or several people, and when it counts."""

    names: tuple[str, ...]
    key: bytes
    after: datetime | None = None
    before: datetime | None = None
    namespaces: tuple[str, ...] = ()

    def counts(self, now: datetime, purpose: str = PROPOSAL) -> bool:
        """Tell whether its signatures for a purpose count now."""
        timely = (self.after is None or now >= self.after) and (self.before is None or now < self.before)
        return timely and (not self.namespaces or purpose in self.namespaces)


def read_signers(path: Path) -> list[Signer]:
    """Read who may sign; `SettingsError` where the file cannot be read, or where others may write it."""
    try:
        status = path.stat()
        if status.st_size > _LARGEST:
            raise SettingsError(f"{path} is larger than 1 MiB")
        if status.st_mode & 0o022:
            raise SettingsError(f"others can write {path}, and name themselves there", f"Run: chmod go-w {path}")
        lines = path.read_text(encoding="utf-8").splitlines()
    except (OSError, UnicodeDecodeError) as error:
        raise SettingsError(f"the allowed signers {path} cannot be read: {error}") from error
    return [signer for number, line in enumerate(lines, 1) for signer in _signers(line.strip(), f"{path}:{number}")]


def _signers(line: str, place: str) -> Iterator[Signer]:
    if not line or line.startswith("#"):
        return
    found = _LINE.match(line)
    if found is None:
        raise SettingsError(f"{place}: this is no allowed signer", "A line is: name ssh-ed25519 KEY")
    options = {one["name"].lower(): one["value"] or "" for one in _OPTION.finditer(found["options"] or "")}
    names = tuple(name for name in found["who"].strip('"').split(",") if name)
    # A line for every principal names nobody, and an authority would need the certificates of others.
    if "cert-authority" in options or any(_PATTERN & set(name) for name in names):
        raise SettingsError(f"{place}: patterns and authorities are no people", "Give each person a line of their own")
    try:
        key = base64.b64decode(found["key"], validate=True)
        after, before = (_moment(options.get(name, "")) for name in ("valid-after", "valid-before"))
    except (binascii.Error, ValueError) as error:
        raise SettingsError(f"{place}: {error}") from error
    namespaces = tuple(options.get("namespaces", "").split(",")) if options.get("namespaces") else ()
    yield Signer(names, key, after, before, namespaces)


def public_key_in(path: Path) -> bytes:
    """Return the key of a file such as ssh-keygen writes beside a private one; `SignatureError` for what is none."""
    try:
        _, text, *_ = path.read_bytes()[:_LARGEST].decode("ascii").split()
        return base64.b64decode(text, validate=True)
    except (OSError, ValueError) as error:
        raise SignatureError(f"{path} cannot be read as a public key: {error}") from error


def _moment(text: str) -> datetime | None:
    if not text:
        return None
    digits = text.removesuffix("Z")
    if len(digits) not in _FORMS:
        raise ValueError(f"'{text}' is no moment such as 20271231")
    moment = datetime.strptime(digits, _FORMS[len(digits)])  # noqa: DTZ007 - the zone is given right below
    return moment.replace(tzinfo=UTC) if text.endswith("Z") else moment.astimezone()


def name_of(signers: list[Signer], key: bytes, now: datetime, purpose: str = PROPOSAL) -> str:
    """Return whose key it is; `SignatureError` where it is nobody's, or does not count now."""
    of_key = [one for one in signers if one.key == key]
    if not of_key:
        raise SignatureError("the key is none of the allowed signers")
    for one in of_key:
        if one.counts(now, purpose):
            return one.names[0]
    raise SignatureError(f"the key of {of_key[0].names[0]} does not count now, or not for this")
