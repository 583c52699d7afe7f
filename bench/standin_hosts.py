"""Twenty thousand stand-in hosts through the built program."""

import socket
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path

from bench.measure import Measured, once, program

_HOSTS = 20_000
_CHARTER = r"""charter: 1
rules:
  - {id: everywhere, hosts: {everywhere: true}, local-group: administrators, response: mend,
     only: [LOWMERE\Domain Admins, local\administrator, LOWMERE\Night Watch]}
"""


def run() -> Iterator[Measured]:
    """Collect, check, and make a proposal that touches every host."""
    with tempfile.TemporaryDirectory() as temporary:
        folder = Path(temporary) / "w"
        program("demo", str(folder), "--only-make", "--hosts", str(_HOSTS))
        (folder / "charter/charter.yaml").write_text(_CHARTER)
        for command, bar in (("collect", 60), ("check", 5), ("propose", 10)):
            taken = once(lambda command=command: program(command, folder=folder))
            yield Measured(f"stand-in hosts: {command}, 20,000 hosts", "L", taken, "s", bar)
        yield from _on_a_cluster(folder)


def _on_a_cluster(folder: Path) -> Iterator[Measured]:
    """Read them with two workers on this machine and with none, in turn."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = str(probe.getsockname()[1])
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    dask = [sys.executable, "-m", "dask"]
    scheduler = [*dask, "scheduler", "--host", "127.0.0.1", "--port", port, "--no-dashboard"]
    worker = [*dask, "worker", f"tcp://127.0.0.1:{port}", "--host", "127.0.0.1", "--nthreads", "1", "--no-nanny"]
    command = [*worker, "--no-dashboard", "--local-directory", str(folder / "work")]
    running = [subprocess.Popen(scheduler, **quiet)]
    running += [subprocess.Popen(command, **quiet) for _ in range(2)]
    try:
        times: dict[str, list[float]] = {"": [], f"dask://127.0.0.1:{port}": []}
        for _ in range(2):
            for address, taken in times.items():
                arguments = ("collect", *(["--workers", address] if address else []))
                taken.append(once(lambda arguments=arguments: program(*arguments, folder=folder)))
        alone, together = (min(taken) for taken in times.values())
        yield Measured("stand-in hosts: collect on 2 workers against none", "L", together / alone, "", 1.2)
    finally:
        for one in reversed(running):
            one.kill()
            one.wait()
