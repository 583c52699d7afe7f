"""Hosts that other processes work with: those of this machine, and the workers of a cluster."""

import json
import os
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import pytest

from adzeguard.core.drivers import Names, Secret, Settings
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.fleet import Fleet, FleetSource
from adzeguard.hosts.processes import Processes
from adzeguard.hosts.standin import StandinHosts, open_standins
from adzeguard.hosts.worker_pool import SourceApart
from adzeguard.workflows.collect import read_hosts
from tests.program import Program
from tests.system.test_rollout import EVERYWHERE


def open_and_die(settings: Settings, secret: Secret, names: Names) -> StandinHosts:
    """A driver that takes its process with it, but for the one that the tests run in."""
    if os.getpid() != int(settings["only_in"]):
        os.kill(os.getpid(), signal.SIGKILL)
    return open_standins(settings, secret, names)


def fleet_of(folder: Path, *, dies: bool = False) -> Fleet:
    """The hosts of the demo as ones that processes pay for."""
    settings = (("folder", str(folder)), ("only_in", str(os.getpid())))
    apart = SourceApart(FleetPart(), open_and_die if dies else open_standins, settings)
    return Fleet([FleetSource("hosts", FleetPart(), StandinHosts(folder), lambda: apart, is_heavy=True)])


def silent(_what: str, _done: int, _of: int | None) -> None:
    """Tell nobody."""


@pytest.mark.parametrize("dies", [False, True])
def test_processes_read_what_one_process_reads(demo: Program, dies: bool) -> None:
    """The same states and the same trouble, in the same order; where the processes die, nothing is lost."""
    folder = demo.folder / "hosts"
    hosts = [
        Host(n, path.stem, f"CN={path.stem},DC=x", source="") for n, path in enumerate(sorted(folder.glob("*.json")))
    ]
    hosts.append(Host(99, "NOBODY", "CN=NOBODY,DC=x", source=""))
    alone = read_hosts(fleet_of(folder), hosts, {}, silent)
    assert sum(bool(host.trouble) for host in alone) == 2
    assert read_hosts(fleet_of(folder, dies=dies), hosts, {}, silent, Processes(2)) == alone


@dataclass(frozen=True)
class Running:
    """A scheduler with its workers."""

    address: str
    workers: list[subprocess.Popen]


@pytest.fixture
def cluster(tmp_path: Path, certificates: Path) -> Iterator[Running]:
    """A scheduler and two workers, which trust that certificate alone."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    tls = [
        f"--tls-{k}={certificates / f}" for k, f in (("ca-file", "cert.pem"), ("cert", "cert.pem"), ("key", "key.pem"))
    ]
    log = (tmp_path / "cluster.log").open("w")

    def start(*arguments: str) -> subprocess.Popen:
        command = [sys.executable, "-m", "dask", *arguments, *tls, "--no-dashboard"]
        return subprocess.Popen(command, stdout=log, stderr=log, cwd=tmp_path)

    running = [start("scheduler", "--host", "tls://127.0.0.1", "--port", str(port))]
    wait_for(lambda: "Scheduler at" in (tmp_path / "cluster.log").read_text())
    for _ in range(2):
        address = ("worker", f"tls://127.0.0.1:{port}", "--host", "127.0.0.1", "--nthreads", "1", "--no-nanny")
        running.append(start(*address, "--local-directory", str(tmp_path / "work")))
    wait_for(lambda: (tmp_path / "cluster.log").read_text().count("Starting established connection to tls") >= 4)
    yield Running(f"dask://127.0.0.1:{port}", running[1:])
    for one in running:
        one.kill()
        one.wait(20)
    log.close()


def wait_for(holds) -> None:
    """Wait until something holds, which it must soon."""
    end = time.monotonic() + 60
    while not holds():
        assert time.monotonic() < end, "it never came about"
        os.sched_yield()


def trusting(program: Program, certificates: Path) -> None:
    """Let the workspace trust the cluster."""
    with (program.folder / "adzeguard.toml").open("a") as settings:
        files = {"ca_file": "cert.pem", "certificate": "cert.pem", "key": "key.pem"}
        settings.write("\n[cluster]\n" + "".join(f'{k} = "{certificates / f}"\n' for k, f in files.items()))


def titles(program: Program) -> list[str]:
    """The notices that the hosts show."""
    files = [json.loads(path.read_text()) for path in sorted((program.folder / "hosts").glob("*.json"))]
    return [content.get("notice", {}).get("title", "") for content in files]


def test_a_cluster_reads_and_changes_the_hosts_whatever_happens_to_a_worker(
    demo: Program, cluster: Running, certificates: Path
) -> None:
    """The same as from here; a host that was changed behind our back is judged anew; a worker that dies loses none."""
    trusting(demo, certificates)
    read = demo("collect", "--workers", cluster.address)
    assert (read.code, "Read 62 hosts; 2 did not answer." in read.out) == (4, True), read.err
    assert "Changed since the last time: 0 objects, 0 groups, 0 hosts." in read.out
    (demo.folder / "charter/charter.yaml").write_text(EVERYWHERE)
    meddled = demo.folder / "hosts/KIOSK-01.json"
    content = json.loads(meddled.read_text())
    meddled.write_text(json.dumps(content | {"notice": {"title": "Somebody else's"}}))
    for path in (demo.folder / "hosts").glob("HARBOUR-*.json"):
        slow = json.loads(path.read_text())
        slow["behaviour"]["slow_seconds"] = 0.3
        path.write_text(json.dumps(slow))
    command = [sys.executable, "-m", "adzeguard", "enact", "--yes", "--format", "json", "--workers", cluster.address]
    enacting = subprocess.Popen(command, cwd=demo.folder, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)
    wait_for(lambda: "Ferry company property" in titles(demo))
    cluster.workers[0].kill()
    out, err = enacting.communicate(timeout=120)
    status = {row["target"]: row["status"] for row in json.loads(out)}
    assert status.pop("KIOSK-01") == "conflict", err
    assert set(status.values()) == {"verified"}, err
    assert titles(demo).count("Ferry company property") == 61
    kinds = [row["kind"] for row in demo("journal", "--limit", "500", "--format", "json").json]
    assert (kinds.count("intent"), kinds.count("outcome")) == (62, 62)
    assert demo("journal", "verify").code == 0


def test_a_password_is_not_sent_to_a_cluster_that_anybody_can_listen_to(demo: Program) -> None:
    """Without certificates it is refused before anything is sent; a cluster that is not there is one clear line."""
    (demo.folder / "word").touch(0o600)
    (demo.folder / "word").write_text("Tide9-Rope")
    path = demo.folder / "adzeguard.toml"
    settings = path.read_text()
    table = "[hosts.sam]\nkind = 'remote-sam'\naccount = 'LOWMERE\\Administrator'\npassword_file = 'word'\n"
    path.write_text(settings[: settings.index("[hosts]")] + table)
    refused = demo("collect", "--workers", "dask://127.0.0.1:9")
    assert (refused.code, "a password is not sent to a cluster without TLS" in refused.err) == (1, True), refused.err
    path.write_text(settings)
    gone = demo("collect", "--workers", "dask://127.0.0.1:9")
    assert gone.code == 1
    assert "the cluster at 127.0.0.1:9 does not answer" in gone.err
    assert "no cluster" in demo("collect", "--workers", "127.0.0.1:9").err
