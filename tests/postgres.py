"""A real PostgreSQL for the tests, of Debian's packages, in a folder of its own."""

import os
import shutil
import signal
import socket
import subprocess
import time
import uuid
from collections.abc import Iterator
from pathlib import Path
from urllib.parse import quote

import pytest

from tests.alone import ENDS_WITH_US

_USER = "postgres"
_AS_USER = [*ENDS_WITH_US, "--reuid", _USER, "--regid", _USER, "--clear-groups"]
_BINARIES = sorted(Path("/usr/lib/postgresql").glob("*/bin"))


class Postgres:
    """One server. Each workspace gets a schema of its own, which is as good as a database."""

    def __init__(self, folder: Path) -> None:
        if not _BINARIES or os.geteuid() != 0:
            if os.environ.get("CI"):
                pytest.fail("PostgreSQL is not installed here: make database")
            pytest.skip("needs root and Debian's package postgresql")
        self._folder = folder
        folder.mkdir(parents=True)
        shutil.chown(folder, _USER)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        data = str(folder / "data")
        made = [*_AS_USER, _BINARIES[-1] / "initdb", "-D", data, "-A", "trust", "-U", "adze", "--no-sync"]
        subprocess.run(made, check=True, capture_output=True, cwd="/")
        quick = [f"-c{setting}=off" for setting in ("fsync", "synchronous_commit", "full_page_writes")]
        own = [f"-p{self.port}", "-clisten_addresses=127.0.0.1", f"-cunix_socket_directories={folder}", *quick]
        with (folder / "log").open("w") as log:
            self._process = subprocess.Popen(
                [*_AS_USER, _BINARIES[-1] / "postgres", "-D", data, *own], stdout=log, stderr=log, cwd="/"
            )
        self._make_database(folder / "log")

    def _make_database(self, log: Path) -> None:
        import psycopg

        own = f"postgresql://adze@127.0.0.1:{self.port}/postgres"
        end = time.monotonic() + 60
        while True:
            try:
                with psycopg.connect(own, autocommit=True) as connection:
                    connection.execute("CREATE DATABASE adzeguard")
            except psycopg.OperationalError:
                assert self._process.poll() is None, log.read_text()
                assert time.monotonic() < end, log.read_text()
                os.sched_yield()
            else:
                return

    def url(self) -> str:
        """Return the address of a new and empty store."""
        import psycopg

        schema = f"s{uuid.uuid4().hex}"
        base = f"postgresql://adze@127.0.0.1:{self.port}/adzeguard"
        with psycopg.connect(base, autocommit=True) as connection:
            connection.execute(f"CREATE SCHEMA {schema}")
        return f"{base}?options={quote(f'-csearch_path={schema}')}"

    def stop(self) -> None:
        """Stop it at once, and remove it."""
        self._process.send_signal(signal.SIGQUIT)
        self._process.wait(60)
        shutil.rmtree(self._folder, ignore_errors=True)


@pytest.fixture(scope="session")
def postgres(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Postgres]:
    """The server, started once."""
    # The server's own account must reach its folder, and pytest keeps its folders to whoever runs the tests.
    folder = Path("/tmp") / f"adzeguard-postgres-{os.getpid()}"  # noqa: S108 - made anew, removed at the end
    for left in folder.parent.glob("adzeguard-postgres-*"):  # of runs that were killed
        if not Path(f"/proc/{left.name.rpartition('-')[2]}").exists():
            shutil.rmtree(left, ignore_errors=True)
    server = Postgres(folder)
    try:
        yield server
    finally:
        server.stop()
