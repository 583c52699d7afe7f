"""Signatures by SSH keys, held against ssh-keygen itself, and the file of those who may sign."""

import subprocess
from datetime import UTC, datetime
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import AdzeguardError, SettingsError, SignatureError
from adzeguard.signing.allowed_signers import Signer, name_of, read_signers
from adzeguard.signing.private_keys import read_private_key
from adzeguard.signing.ssh_signature import PROPOSAL, read_signature, sign, verify

CONTENT = b'{"proposal": 2}\n'
NOW = datetime(2026, 11, 26, tzinfo=UTC)
KINDS = ("ed25519", "rsa", "ecdsa")


@pytest.fixture(scope="module", params=KINDS)
def key(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A key pair that ssh-keygen made."""
    path = tmp_path_factory.mktemp("keys") / request.param
    subprocess.run(["ssh-keygen", "-q", "-t", request.param, "-N", "", "-f", path], check=True)
    return path


def keygen(*arguments: str | Path, given: bytes = CONTENT) -> subprocess.CompletedProcess[bytes]:
    """Run ssh-keygen -Y."""
    return subprocess.run(["ssh-keygen", "-Y", *map(str, arguments)], input=given, capture_output=True, check=False)


def test_ssh_keygen_verifies_what_is_signed_here(key: Path, tmp_path: Path) -> None:
    """Of every kind of key, for our purpose and no other, and not over other bytes."""
    (tmp_path / "sig").write_text(sign(CONTENT, read_private_key(key, None)))
    (tmp_path / "signers").write_text(f"isolde {key.with_suffix('.pub').read_text()}")
    about = ("verify", "-f", tmp_path / "signers", "-I", "isolde", "-s", tmp_path / "sig", "-n")
    assert keygen(*about, PROPOSAL).returncode == 0
    assert keygen(*about, "git").returncode != 0
    assert keygen(*about, PROPOSAL, given=CONTENT + b" ").returncode != 0


def test_what_ssh_keygen_signs_is_verified_here(key: Path) -> None:
    """With its key and fingerprint; for another purpose, or over other bytes, it counts for nothing."""
    made = keygen("sign", "-f", key, "-n", PROPOSAL)
    signature = read_signature(made.stdout.decode())
    verify(CONTENT, signature)
    told = subprocess.run(["ssh-keygen", "-lf", key], capture_output=True, text=True, check=True).stdout
    assert signature.fingerprint in told
    with pytest.raises(SignatureError, match="not over this content"):
        verify(CONTENT + b"\n", signature)
    other = read_signature(keygen("sign", "-f", key, "-n", "git").stdout.decode())
    with pytest.raises(SignatureError, match="is for 'git'"):
        verify(CONTENT, other)


def test_any_byte_of_a_signature_counts(key: Path) -> None:
    """Changed anywhere it is refused, or reads as the same: never taken for another's, never another error."""
    text = sign(CONTENT, read_private_key(key, None))
    lines = text.splitlines()
    for place in range(0, len(lines[2]), 3):
        turned = "A" if lines[2][place] != "A" else "B"
        changed = [*lines[:2], lines[2][:place] + turned + lines[2][place + 1 :], *lines[3:]]
        with pytest.raises(SignatureError):
            verify(CONTENT, read_signature("\n".join(changed)))


@given(st.binary(max_size=300) | st.just(b"SSHSIG\x00\x00\x00\x01\xff\xff\xff\xff"), st.booleans())
def test_what_is_no_signature(data: bytes, armoured: bool) -> None:
    """Is an error of ours, whatever it holds."""
    import base64

    text = base64.b64encode(data).decode() if armoured else data.decode("latin-1")
    with pytest.raises(SignatureError):
        verify(CONTENT, read_signature(f"-----BEGIN SSH SIGNATURE-----\n{text}\n-----END SSH SIGNATURE-----"))


def test_short_and_shared_keys_sign_nothing(tmp_path: Path) -> None:
    """A key that others can read is refused, so is one that is encrypted where nobody can be asked, and a short one."""
    path = tmp_path / "key"
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "harbour light", "-f", path], check=True)
    with pytest.raises(SignatureError, match="encrypted"):
        read_private_key(path, None)
    with pytest.raises(SignatureError, match="does not open"):
        read_private_key(path, lambda: "wrong")
    verify(CONTENT, read_signature(sign(CONTENT, read_private_key(path, lambda: "harbour light"))))
    path.chmod(0o644)
    with pytest.raises(SignatureError, match="others can read"):
        read_private_key(path, None)
    short = tmp_path / "short"
    subprocess.run(["ssh-keygen", "-q", "-t", "rsa", "-b", "1024", "-N", "", "-f", short], check=True)
    with pytest.raises(AdzeguardError):
        verify(CONTENT, read_signature(keygen("sign", "-f", short, "-n", PROPOSAL).stdout.decode()))


def test_who_may_sign_and_when(tmp_path: Path) -> None:
    """Names, times and purposes count as OpenSSH has them; patterns and authorities are nobody."""
    file = tmp_path / "signers"
    key = "ssh-ed25519 AAAAC3NzaC1lZDI1NTE5AAAAIJ2Qc0dJkQm1m3dF1yJxw4pQ9nE0k2xLJ6Wc0pV8bq1Z"
    file.write_text(f'# ours\n\nisolde,"x" {key}\n'.replace(',"x"', ",isolde@lowmere.example"))
    [signer] = read_signers(file)
    assert name_of([signer], signer.key, NOW) == "isolde"
    for options, counts in (
        ('valid-before="20261127Z"', True),
        ('valid-before="20261125Z"', False),
        ('valid-after="20261127Z"', False),
        ('valid-after="202611250000Z",valid-before="20270101000000Z"', True),
        (f'namespaces="git,{PROPOSAL}"', True),
        ('namespaces="git"', False),
    ):
        file.write_text(f"tobin {options} {key} tobin's\n")
        assert read_signers(file)[0].counts(NOW) is counts, options
    with pytest.raises(SignatureError, match="does not count now"):
        name_of([Signer(("tobin",), b"k", before=NOW)], b"k", NOW)
    with pytest.raises(SignatureError, match="none of the allowed"):
        name_of([], b"k", NOW)
    for line in (f"* {key}", f"a cert-authority {key}", "nothing", f'a valid-before="soon" {key}'):
        file.write_text(line)
        with pytest.raises(SettingsError):
            read_signers(file)
    file.write_text(f"tobin {key}")
    file.chmod(0o666)
    with pytest.raises(SettingsError, match="others can write"):
        read_signers(file)
