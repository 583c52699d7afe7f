"""A real PostgreSQL for the tests, of Debian's packages, in a folder of its own."""

import os
import shutil
import socket
import subprocess
import uuid
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

import pytest

_BINARIES = sorted(Path("/usr/lib/postgresql").glob("*/bin"))


class Postgres:
    """One server. Each workspace gets a schema of its own, which is as good as a database."""

    def __init__(self, folder: Path) -> None:
        if not _BINARIES or os.geteuid() != 0:
            if os.environ.get("CI"):
                pytest.fail("PostgreSQL is not installed here: make database")
            pytest.skip("needs root and Debian's package postgresql")
        self._folder = folder
        self._user = "postgres"
        folder.mkdir(parents=True)
        shutil.chown(folder, self._user)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self._run("initdb", "-D", folder / "data", "-A", "trust", "-U", "adze", "--no-sync")
        options = f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories={folder} -c fsync=off"
        self._run("pg_ctl", "-D", folder / "data", "-w", "-o", options, "-l", folder / "log", "start")
        self._run("createdb", "-h", "127.0.0.1", "-p", str(self.port), "-U", "adze", "adzeguard")

    def _run(self, program: str, *arguments: object) -> None:
        command = ["runuser", "-u", self._user, "--", str(_BINARIES[-1] / program), *map(str, arguments)]
        subprocess.run(command, check=True, capture_output=True, cwd="/")

    def url(self) -> str:
        """Return the address of a new and empty store."""
        import psycopg

        schema = f"s{uuid.uuid4().hex}"
        base = f"postgresql://adze@127.0.0.1:{self.port}/adzeguard"
        with psycopg.connect(base, autocommit=True) as connection:
            connection.execute(f"CREATE SCHEMA {schema}")
        return f"{base}?options={quote(f'-csearch_path={schema}')}"

    def stop(self) -> None:
        """Stop it at once."""
        self._run("pg_ctl", "-D", self._folder / "data", "-m", "immediate", "stop")


@pytest.fixture(scope="session")
def postgres(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Postgres]:
    """The server, started once."""
    # The server's own account must reach its folder, and pytest keeps its folders to whoever runs the tests.
    folder = Path("/tmp") / f"adzeguard-postgres-{os.getpid()}"  # noqa: S108 - made anew, removed at the end
    server = Postgres(folder)
    try:
        yield server
    finally:
        server.stop()
        shutil.rmtree(folder, ignore_errors=True)
