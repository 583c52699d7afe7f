"""Two real domains with a trust, and a workspace of the one that may ask about the other."""

from collections.abc import Iterator
from pathlib import Path

import pytest

from tests.alone import needed
from tests.forest.two_domains import TwoDomains
from tests.program import Program
from tests.server.server import missing


@pytest.fixture(scope="session")
def domains(tmp_path_factory: pytest.TempPathFactory) -> Iterator[TwoDomains]:
    """LOWMERE and ISLE, both running."""
    needed(missing(), "the tests against the real servers")
    both = TwoDomains(tmp_path_factory.mktemp("forest"))
    try:
        both.made()
        yield both
    finally:
        both.stop()


@pytest.fixture
def lowmere(domains: TwoDomains, tmp_path: Path) -> Program:
    """A workspace of LOWMERE, collected, with the names of ISLE asked for."""
    folder, server = tmp_path / "w", domains.low.client
    options = {
        "ldap": server.url,
        "bind-as": server.bind_as,
        "password-file": str(server.password_file),
        "ca-file": str(server.ca_file),
        "tls-name": f"{domains.low.host}.{domains.low.realm}",
    }
    made = Program(tmp_path)("init", folder, *(part for key, value in options.items() for part in (f"--{key}", value)))
    assert made.code == 0, made.err
    settings = folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace("[directory]\n", '[directory]\nnames = "lsa"\n', 1))
    program = Program(folder)
    assert program("collect").code == 0
    return program
