"""A certificate for servers of tests."""

from datetime import UTC, datetime, timedelta
from ipaddress import ip_address
from pathlib import Path

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


@pytest.fixture(scope="session")
def certificates(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """One certificate that signs itself, for whoever serves on 127.0.0.1 and whoever asks there."""
    return made_certificate(tmp_path_factory.mktemp("tls"))


def made_certificate(folder: Path, address: str = "127.0.0.1", days: int = 2) -> Path:
    """Write it as cert.pem with its key.pem, and return the folder; with fewer than no days it has ended."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "lowmere.example")])
    now = datetime.now(UTC)
    builder = x509.CertificateBuilder().subject_name(name).issuer_name(name).public_key(key.public_key())
    builder = (
        builder.serial_number(1).not_valid_before(now - timedelta(days=9)).not_valid_after(now + timedelta(days=days))
    )
    builder = builder.add_extension(x509.SubjectAlternativeName([x509.IPAddress(ip_address(address))]), critical=False)
    builder = builder.add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
    certificate = builder.sign(key, hashes.SHA256())
    (folder / "cert.pem").write_bytes(certificate.public_bytes(serialization.Encoding.PEM))
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    (folder / "key.pem").write_bytes(private)
    return folder
