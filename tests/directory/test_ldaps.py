"""Within TLS, by both connections: a certificate that is not the server's own ends it before the password is sent."""

import socket
import ssl
from collections.abc import Callable
from pathlib import Path

import pytest

from adzeguard.core.errors import AdzeguardError, CertificateRefusedError, DirectoryError, DirectorySilentError
from adzeguard.directory.ldap import open_ldap
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_native import NativeWire, Password, is_there
from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.ldap_wire import Wire
from tests.alone import needed
from tests.certificates import made_certificate
from tests.directory.lying import BASE, Halving, Lying, seconds

Connect = Callable[..., LdapWire]
ENDED = -1


@pytest.fixture(params=["pure", "native"])
def connect(request: pytest.FixtureRequest) -> Connect:
    """Sign in by one of the two; a password that is not sent cannot be learned."""
    needed("" if is_there() or request.param == "pure" else "as root: make native", "both connections")

    def connected(url: str, ca_file: Path) -> LdapWire:
        address = Address(url, str(ca_file), timeout=1)
        return Wire(address, "a", "b") if request.param == "pure" else NativeWire(address, Password("a", "b"))

    return connected


def of(folder: Path) -> ssl.SSLContext:
    """What a server with this certificate speaks."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(folder / "cert.pem", folder / "key.pem")
    return context


def made(folder: Path, **how: object) -> Path:
    """A certificate in a folder of its own."""
    folder.mkdir()
    return made_certificate(folder, **how)  # type: ignore[arg-type]


def test_the_servers_own_certificate_is_taken(connect: Connect, tmp_path: Path) -> None:
    """Signed by the CA that was given, for the name that was asked for."""
    own = made(tmp_path / "own")
    with Lying(lambda *_: None, tls=of(own)) as server:
        wire = connect(server.url, own / "cert.pem")
        assert wire.read(BASE, ["objectSid"]) is not None
        wire.close()
        assert server.binds == 1


@pytest.mark.parametrize("wrong", [{"address": "127.0.0.2"}, {"days": ENDED}, {}], ids=["name", "ended", "another CA"])
def test_no_other_certificate_is_taken(
    wrong: dict, connect: Connect, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """For another name, one that has ended, or of a CA that nobody knows; whatever the environment says."""
    monkeypatch.setenv("LDAPTLS_REQCERT", "never")
    shown = made(tmp_path / "shown", **wrong)
    known = shown if wrong else made(tmp_path / "known")
    with Lying(lambda *_: None, tls=of(shown)) as server:
        with pytest.raises(DirectoryError):
            connect(server.url, known / "cert.pem")
        settings = {"url": server.url, "bind_as": "a", "ca_file": str(known / "cert.pem"), "timeout": "1"}
        driver = open_ldap(settings, lambda: "b", None)  # type: ignore[arg-type]
        with pytest.raises(CertificateRefusedError, match="the certificate of"):
            driver.facts()
        assert server.binds == 0


def test_a_server_that_says_nothing_within_tls_is_left(connect: Connect, tmp_path: Path) -> None:
    """Before anything is agreed, and in the middle of a record."""
    own, began = made(tmp_path / "own"), seconds()
    with socket.create_server(("127.0.0.1", 0)) as listener, pytest.raises(AdzeguardError):
        connect(f"ldaps://127.0.0.1:{listener.getsockname()[1]}", own / "cert.pem")
    with Lying(lambda server, *_: server.waiting(), tls=of(own)) as server, pytest.raises(DirectorySilentError):
        connect(server.url, own / "cert.pem").read(BASE, ["objectSid"])
    assert seconds() - began < 8


def test_half_a_record_does_not_hold_the_program(connect: Connect, tmp_path: Path) -> None:
    """A record of TLS that does not go on is waited for no longer than silence."""
    own, began = made(tmp_path / "own"), seconds()
    with Lying(lambda *_: None, tls=of(own)) as server:
        through = Halving(server.url)
        wire = connect(through.url, own / "cert.pem")
        through.halve()
        with pytest.raises(DirectorySilentError):
            wire.read(BASE, ["objectSid"])
        through.close()
    assert seconds() - began < 8
