"""The real directory server, made once for all tests that need it."""

import random
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path

import pytest

from adzeguard.core.identity import Sid
from adzeguard.demo.as_hosts import write_hosts
from adzeguard.demo.scenario import lowmere
from adzeguard.demo.workspace import charter_text
from tests.alone import needed
from tests.program import Program
from tests.server.random_domain import random_operations
from tests.server.scenario_load import operations
from tests.server.server import Server, missing


@pytest.fixture(scope="session")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Server]:
    """A domain with the demo's objects, and a random part with rings and odd primary groups."""
    needed(missing(), "the tests against the real server")
    running = Server(tmp_path_factory.mktemp("dc"))
    running.made([*operations(lowmere()), *random_operations(random.Random(20261123))])
    running.start()
    yield running
    running.stop()


@pytest.fixture
def workspace(server: Server, tmp_path: Path) -> Program:
    """The program in a workspace connected to the server, with the demo's hosts and charter."""
    folder = tmp_path / "w"
    domain = server.sids["Administrator"].rpartition("-")[0]
    sids = {name: Sid(sid) for name, sid in server.sids.items()}
    write_hosts(lowmere(), sids, domain, tmp_path / "hosts", datetime.now(UTC))
    made = connect(Program(tmp_path), server, folder)
    assert made.code == 0, made.err
    (folder / "charter/charter.yaml").write_text(charter_text())
    return Program(folder)


def connect(program: Program, server: Server, folder: Path, *, anyway: bool = False, **other: str):
    """Make a workspace; `other` replaces options, `anyway` makes it also where the server cannot be read."""
    options = {
        "ldap": server.url,
        "bind-as": server.bind_as,
        "password-file": str(server.password_file),
        "ca-file": str(server.ca_file),
        "tls-name": server.tls_name,
        "standin-hosts": str(program.folder / "hosts"),
    } | other
    said = (part for key, value in options.items() for part in (f"--{key}", value) if value)
    return program("init", folder, *said, *(["--anyway"] if anyway else []))
