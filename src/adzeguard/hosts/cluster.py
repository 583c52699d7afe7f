"""Workers of a Dask cluster that work with hosts, for fleets beyond one machine (extra `cluster`).

Who can talk to a scheduler can have its workers run anything, and who listens reads what they are sent. So a
password is sent through an encrypted connection with a verified certificate alone.
"""

import logging
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import Any, Final

import distributed

from adzeguard.core.errors import HostUnreachableError, SettingsError
from adzeguard.hosts.worker_pool import HostDone, HostTask, SourceApart, work_with_hosts

_dask: Any = distributed  # it says nothing of its types
_IN_A_TASK: Final = 100
"""Hosts a task: 300 to 900 single tasks a second were seen, and 5,700 to 12,000 hosts in tasks of a hundred."""
_RETRIES: Final = 3
_PREFIX: Final = "dask://"
_SECONDS: Final = "10s"
_PATIENCE: Final = 4
"""How many times so long nobody may be there to work before the rest is done from here."""


class Cluster:
    """The workers of one scheduler."""

    heavy_only = False

    def __init__(self, address: str, tls: Mapping[str, str]) -> None:
        """`address` is dask://HOST:PORT; `tls` names the files ca_file, certificate and key, or nothing."""
        if not address.startswith(_PREFIX):
            raise SettingsError(f"'{address}' is no cluster", "Name it as dask://HOST:PORT")
        self._where = address.removeprefix(_PREFIX)
        self._tls = tls
        missing = [key for key in ("ca_file", "certificate", "key") if tls and not tls.get(key)]
        if missing:
            raise SettingsError(f"adzeguard.toml: [cluster] {missing[0]} is missing", "Name all three files")

    @contextmanager
    def work(
        self, sources: Sequence[SourceApart], tasks: Sequence[HostTask], is_to_stop: Callable[[], bool]
    ) -> Iterator[Iterator[HostDone]]:
        """Give the results as they come; a worker that dies is replaced by another, which finds what was done."""
        if not self._tls and any(source.secret for source in sources):
            raise SettingsError(
                "a password is not sent to a cluster without TLS",
                "Name [cluster] ca_file, certificate and key in adzeguard.toml, and start the cluster with them",
            )
        client = self._client()
        try:
            yield _results(client, tuple(sources), tasks, is_to_stop)
        finally:
            client.close()

    def _client(self) -> Any:
        # The library says on standard error again and again that it tries; our own message says it once.
        logging.getLogger("distributed").setLevel(logging.CRITICAL)
        security: Any = None
        scheme = "tcp"
        if self._tls:
            scheme = "tls"
            security = _dask.Security(
                tls_ca_file=self._tls["ca_file"],
                tls_client_cert=self._tls["certificate"],
                tls_client_key=self._tls["key"],
                require_encryption=True,
            )
        try:
            return _dask.Client(f"{scheme}://{self._where}", security=security, timeout=_SECONDS)
        except (OSError, TimeoutError, ValueError) as error:
            raise HostUnreachableError(
                f"the cluster at {self._where} does not answer: {str(error) or type(error).__name__}",
                "Is its scheduler running, with the same certificates?",
            ) from error


def _results(
    client: Any, sources: tuple[SourceApart, ...], tasks: Sequence[HostTask], is_to_stop: Callable[[], bool]
) -> Iterator[HostDone]:
    parts = iter([tasks[at : at + _IN_A_TASK] for at in range(0, len(tasks), _IN_A_TASK)])

    def submit(part: Sequence[HostTask]) -> Any:
        # Never taken from what an equal task came to before: a host is to be seen as it is now.
        return client.submit(work_with_hosts, sources, part, pure=False, retries=_RETRIES)

    ahead = 2 * _threads(client)
    running = [submit(part) for _, part in zip(range(ahead), parts, strict=False)]
    alone = 0
    while running and alone < _PATIENCE:
        try:
            done, waiting = _dask.wait(running, timeout=_SECONDS, return_when="FIRST_COMPLETED")
        except TimeoutError:
            alone = 0 if client.nthreads() else alone + 1
            continue
        running = list(waiting)
        for future in done:
            # One that failed everywhere, on worker after worker, is left to the caller.
            yield from future.result() if future.status == "finished" else ()
            part = None if is_to_stop() else next(parts, None)
            running += [submit(part)] if part is not None else []


def _threads(client: Any) -> int:
    threads = sum(client.nthreads().values())
    if not threads:
        raise HostUnreachableError("the cluster has no workers", "Start some: dask worker tls://HOST:PORT")
    return int(threads)
