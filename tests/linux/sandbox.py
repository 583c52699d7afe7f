"""A real Linux host for the tests: OpenSSH, PAM and sudo from Debian's packages, in namespaces of its own."""

import os
import shutil
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path

import pytest

from tests.alone import ENDS_WITH_US, PACKAGES

_SCRIPT = Path(__file__).with_name("sandbox.sh")


@dataclass(frozen=True)
class LinuxHost:
    """The host that runs: where its SSH listens, the key that it lets in, and the file in which its own key stands."""

    port: int
    key: Path
    known_hosts: Path
    pid: int

    def run(self, *command: str, given: str = "") -> "subprocess.CompletedProcess[str]":
        """Run a command on the host itself as root, as somebody at its keyboard would."""
        inside = ["nsenter", "-t", str(self.pid), "-m", "-u", "-p", "chroot", "/mnt/root", *command]
        return subprocess.run(inside, input=given, capture_output=True, text=True, timeout=60, check=False)

    def remote_login(self, person: str) -> bool:
        """Log in over SSH as somebody would; tell whether they are let."""
        command = ["ssh", "-p", str(self.port), "-i", str(self.key), "-o", f"UserKnownHostsFile={self.known_hosts}"]
        command += ["-o", "BatchMode=yes", "-o", "StrictHostKeyChecking=yes", f"{person}@127.0.0.1", "id", "-un"]
        done = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False)
        return done.stdout.strip() == person

    def console_login(self, person: str) -> bool:
        """Ask the login service of the console, as login(1) does, whether somebody may log in."""
        return self.run("pamtester", "login", person, "acct_mgmt").returncode == 0

    def runs_elevated(self, person: str, *command: str) -> bool:
        """Run a program by sudo as somebody would; tell whether it ran as root."""
        done = self.run("su", "-s", "/bin/sh", person, "-c", 'exec sudo -n -- "$@"', "--", "sh", *command)
        return done.stdout.strip() == "root"

    def banner(self) -> str:
        """What is shown over SSH before anybody is let in."""
        command = ["ssh", "-p", str(self.port), "-o", f"UserKnownHostsFile={self.known_hosts}", "-o", "BatchMode=yes"]
        command += ["-o", "StrictHostKeyChecking=yes", "-o", "PubkeyAuthentication=no", "nobody@127.0.0.1"]
        said = subprocess.run(command, capture_output=True, text=True, timeout=60, check=False).stderr
        shown = said.partition("nobody@127.0.0.1: Permission denied")[0]
        return shown.removeprefix("Pseudo-terminal will not be allocated because stdin is not a terminal.\n")

    def as_made(self) -> None:
        """Put everything back that a test may have changed."""
        where = "/etc/adzeguard /etc/sudoers.d/adzeguard /etc/issue.d /etc/motd.d /etc/ssh/sshd_config.d/adzeguard.conf"
        update = "printf '#!/bin/sh\nid -un\n' > /opt/charts/update"
        files = "for way in console remote; do : > /etc/security/adzeguard-$way.conf; done"
        reload = 'kill -HUP "$(cat /run/sshd.pid)"'
        self.run(
            "sh", "-c", f"rm -rf {where}; {files}; {update}; gpasswd -M cleo sudo; gpasswd -M ben navigators; {reload}"
        )

    def members(self, group: str) -> set[str]:
        """The accounts in a group, as the host itself lists them."""
        return {name for name in self.run("getent", "group", group).stdout.strip().split(":")[-1].split(",") if name}


def free_port() -> int:
    """A port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@pytest.fixture(scope="session")
def linux_host(tmp_path_factory: pytest.TempPathFactory) -> Iterator[LinuxHost]:
    """One Linux host for all tests; skipped where there is no root, failed where CI has none."""
    if os.geteuid() != 0 or not shutil.which("unshare") or not shutil.which("apt-get"):
        if os.environ.get("CI"):
            pytest.fail("a sandbox needs root, unshare and apt-get")
        pytest.skip("a sandbox needs root, unshare and apt-get")
    with made(tmp_path_factory.mktemp("linux")) as host:
        yield host


@contextmanager
def made(folder: Path) -> Iterator[LinuxHost]:
    """Make a Linux host, and let it run."""
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", str(folder / "key")], check=True)
    port = free_port()
    log = (folder / "log").open("w")
    command = [*ENDS_WITH_US, "unshare", "-m", "-u", "-p", "-f", "--kill-child", "sh", str(_SCRIPT)]
    command += [str(port), str(folder), (folder / "key.pub").read_text().strip(), str(PACKAGES)]
    process = subprocess.Popen(command, stdout=log, stderr=log)
    try:
        _wait_for(port, process, folder)
        known = folder / "known_hosts"
        host_key = " ".join((folder / "host_key.pub").read_text().split()[:2])
        known.write_text(f"[127.0.0.1]:{port} {host_key}\n")
        yield LinuxHost(port, folder / "key", known, _inside(process.pid))
    finally:
        process.kill()
        process.wait()
        log.close()


def _wait_for(port: int, process: "subprocess.Popen[bytes]", folder: Path) -> None:
    end = time.monotonic() + 240
    while time.monotonic() < end:
        if process.poll() is not None:
            pytest.fail(f"the sandbox ended: {(folder / 'log').read_text()[-2000:]}")
        with socket.socket() as probe:
            probe.settimeout(1)
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        process.poll()
        os.sched_yield()
    pytest.fail("the sandbox did not come up")


def _inside(parent: int) -> int:
    """The first process of the sandbox, which the namespaces belong to."""
    children = Path(f"/proc/{parent}/task/{parent}/children").read_text().split()
    return int(children[0])
