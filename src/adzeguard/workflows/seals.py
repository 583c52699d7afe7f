"""Seals: where the journal ended on a day, signed, so that any copy reveals a cut-off end."""

import re
from collections import Counter
from datetime import datetime
from pathlib import Path
from typing import Final

from adzeguard.core.errors import AdzeguardError, InputError, SignatureError
from adzeguard.core.values import dataclass
from adzeguard.private_files import write_new
from adzeguard.signing.allowed_signers import Signer, name_of, public_key_in, read_signers
from adzeguard.signing.private_keys import read_private_key
from adzeguard.signing.ssh_signature import SEAL, SshSignature, blob_of, read_signature, sign, verify
from adzeguard.store.journal import Journal

SUFFIX: Final = ".seal"
_LARGEST: Final = 64 * 1024
_FORM: Final = re.compile(
    r"adzeguard journal seal 1\nrow (?P<row>[0-9]{1,18})\nhash (?P<hash>[0-9a-f]{64})\nat (?P<at>[0-9T:.+-]{19,40})\n"
)


@dataclass(frozen=True, slots=True)
class Seal:
    """The last row of a journal at a moment."""

    row: int
    hash: str
    at: datetime

    @property
    def text(self) -> str:
        """What is signed."""
        return f"adzeguard journal seal 1\nrow {self.row}\nhash {self.hash}\nat {self.at.isoformat()}\n"


def sealed(journal: Journal, key: Path, now: datetime) -> tuple[Seal, str] | None:
    """Return the seal of where the journal ends now, with its text and signature; None for an empty journal."""
    last = journal.rows(1)
    if not last:
        return None
    seal = Seal(last[0].seq, last[0].hash, now)
    # Nobody is asked for a passphrase: what seals every day does so unattended.
    return seal, seal.text + sign(seal.text.encode(), read_private_key(key, None), SEAL)


def keep(folder: Path, seal: Seal, text: str) -> Path:
    """Write a seal into the folder of seals, under its moment."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    file = folder / f"{seal.at:%Y-%m-%dT%H%M%S}-{seal.row}{SUFFIX}"
    try:
        write_new(file, text)
    except OSError as error:
        raise InputError(f"{file} cannot be written: {error.strerror}") from error
    return file


def last_kept(folder: Path) -> Seal | None:
    """Return the newest seal of a folder; None if none is there that can be read."""
    for file in sorted(folder.glob(f"*{SUFFIX}"), reverse=True):
        try:
            return read_seal(file)[0]
        except InputError:
            continue
    return None


def read_seal(file: Path) -> tuple[Seal, str]:
    """Return a seal and its signature; `InputError` for what is none."""
    try:
        if file.stat().st_size > _LARGEST:
            raise InputError(f"{file} is no seal of a journal")
        text = file.read_text(encoding="ascii").replace("\r\n", "\n")
        found = _FORM.match(text)
        if found is None:
            raise InputError(f"{file} is no seal of a journal")
        return Seal(int(found["row"]), found["hash"], datetime.fromisoformat(found["at"])), text[found.end() :]
    except (OSError, ValueError) as error:
        raise InputError(f"{file} cannot be read as a seal: {error}") from error


@dataclass(frozen=True, slots=True)
class Sealers:
    """Whose seals count: the key that is sealed with here, and those who may sign. Where neither is named, any key."""

    own: bytes | None
    """The public half of the key, as `SshSignature` has it."""
    signers: list[Signer] | None

    @classmethod
    def of(cls, key: Path | None, signers: Path | None) -> "Sealers":
        """Read them; what cannot be read raises what reading it raises."""
        return cls(_public_half(key) if key else None, read_signers(signers) if signers else None)

    def whose(self, signature: SshSignature, now: datetime) -> str:
        """Return by whose key a seal is, in words; `SignatureError` for one that does not count."""
        if self.own == signature.key:
            return f"the [seal] key, {signature.fingerprint}"
        if self.signers is not None:
            return f"the key of {name_of(self.signers, signature.key, now, SEAL)}, {signature.fingerprint}"
        if self.own is not None:
            raise SignatureError(f"it is sealed by another key than [seal] key: {signature.fingerprint}")
        return f"{signature.fingerprint}, a key that nothing here names"


def _public_half(key: Path) -> bytes:
    try:
        return blob_of(read_private_key(key, None).public_key())
    except SignatureError:
        # Where seals are only looked at, the private half need not lie.
        public = key.with_name(f"{key.name}.pub")
        if not public.exists():
            raise
        return public_key_in(public)


@dataclass(frozen=True, slots=True)
class Held:
    """What seals say of a journal: what is wrong, a line for each, and by whose keys the others hold."""

    broken: list[str]
    by: Counter[str]


def held_against(journal: Journal, files: list[Path], sealers: Sealers, now: datetime) -> Held:
    """Hold the journal against its seals."""
    held = Held([], Counter())
    for file in files:
        try:
            seal, signature_text = read_seal(file)
            signature = read_signature(signature_text)
            verify(seal.text.encode(), signature, SEAL)
            whose = sealers.whose(signature, now)
        except AdzeguardError as error:
            held.broken.append(f"{file.name}: {error.message}")
            continue
        there = journal.row(seal.row)
        if there is None:
            held.broken.append(f"{file.name}: row {seal.row}, which it seals, is not there any more")
        elif there.hash != seal.hash:
            held.broken.append(f"{file.name}: row {seal.row} is another one than it seals")
        else:
            held.by[whose] += 1
    return held
