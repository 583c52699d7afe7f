"""A real directory server for the tests: provisioned in a temporary folder, on loopback, ended with the tests."""

import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import tarfile
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from pathlib import Path
from typing import Any

from adzeguard.core.errors import CredentialsRefusedError
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from tests.alone import CACHE, ENDS_WITH_US

PASSWORD = "Seahorse-42x"
NEEDED = ("samba", "samba-tool", "ldapsearch", "ldapmodify")
HOW_TO_GET = (
    "the real directory server is missing; as root: apt-get install --no-install-recommends samba samba-ad-dc "
    "samba-ad-provision samba-dsdb-modules samba-vfs-modules winbind ldap-utils ldb-tools python3-samba"
)


AUDITED = ("dsdb_json_audit:5", "dsdb_group_json_audit:5", "auth_json_audit:3")


_APART = (
    "mount --make-rprivate / && mkdir -p /run/samba && mount -t tmpfs -o mode=755 tmpfs /run/samba"
    ' && mount -t proc proc /proc && exec samba -s "$1" -F'
)
"""Sockets and process numbers lie in a folder that no setting moves; this one is not the machine's own."""


def missing() -> str:
    """Return why the server cannot be run here, or nothing."""
    if os.geteuid() != 0:
        return "the real directory server needs root, for its ports"
    return "" if all(shutil.which(name) for name in NEEDED) else HOW_TO_GET


@dataclass
class Server:
    """One running domain controller of LOWMERE, lowmere.example."""

    folder: Path
    process: subprocess.Popen | None = None
    sids: dict[str, str] = field(default_factory=dict)
    url: str = "ldaps://127.0.0.1:636"
    bind_as: str = r"LOWMERE\Administrator"
    base: str = "DC=lowmere,DC=example"

    @property
    def audit_log(self) -> Path:
        """What it logs itself of members, objects and logons, as JSON."""
        return self.folder / "audit.log"

    @property
    def ticket_log(self) -> Path:
        """What it logs of tickets, in lines."""
        return self.folder / "tickets.log"

    @property
    def ca_file(self) -> Path:
        return self.folder / "private/tls/ca.pem"

    @property
    def tls_name(self) -> str:
        return f"{socket.gethostname().partition('.')[0].lower()}.lowmere.example"

    @property
    def password_file(self) -> Path:
        return self.folder / "password"

    def made(self, operations: Sequence[dict[str, Any]]) -> None:
        """Provision a domain with these objects, or take it as it was made the last time.

        Making it takes half a minute, and comes out the same for one version of the server, one name of the machine,
        and the same objects.
        """
        version = subprocess.run(["samba", "--version"], check=True, capture_output=True).stdout
        beside = (Path(__file__).with_name(name) for name in ("load_domain.py", "added_schema.py"))
        sources = [Path(__file__).read_bytes(), *(path.read_bytes() for path in beside)]
        told = json.dumps([socket.gethostname(), list(operations)], sort_keys=True).encode()
        archive = CACHE / f"domain-{sha256(b'|'.join([version, *sources, told])).hexdigest()[:32]}.tar"
        if archive.exists():
            with tarfile.open(archive) as tar:
                tar.extractall(self.folder, filter="fully_trusted")  # noqa: S202 - our own, with its owners
        else:
            self.provision()
            self.load(operations)
            self._keep(archive)
        self._settle_in()
        self.sids = json.loads((self.folder / "sids.json").read_text())

    def _keep(self, archive: Path) -> None:
        archive.parent.mkdir(parents=True, exist_ok=True)
        for old in archive.parent.glob("domain-*.tar"):
            old.unlink()
        beside = archive.with_suffix(f".{os.getpid()}")
        with tarfile.open(beside, "w") as tar:
            tar.add(self.folder, ".")
        beside.rename(archive)

    def _settle_in(self) -> None:
        """Give its settings the folder in which it stands now."""
        conf = self.folder / "etc/smb.conf"
        made_in = (self.folder / "made_in").read_text()
        conf.write_text(conf.read_text().replace(made_in, str(self.folder)))

    def provision(self) -> None:
        (self.folder / "made_in").write_text(str(self.folder))
        run = ["samba-tool", "domain", "provision", "--realm=lowmere.example", "--domain=LOWMERE", "--server-role=dc"]
        run += [f"--adminpass={PASSWORD}", "--dns-backend=SAMBA_INTERNAL", f"--targetdir={self.folder}"]
        subprocess.run(run, check=True, capture_output=True, timeout=300)
        conf = self.folder / "etc/smb.conf"
        only_here = (
            "[global]\n\tinterfaces = 127.0.0.1\n\tbind interfaces only = yes\n"
            "\tserver services = ldap, rpc, kdc, s3fs, winbindd, cldap\n"
        )
        # Every process of it, the file server's too, adds to the one log of its own, which is never put aside.
        audited = " ".join(f"{kind}@{self.audit_log}" for kind in AUDITED)
        audited += f" kerberos:3@{self.ticket_log}"
        logged = f"\tlog level = 0 {audited}\n\tlog file = {self.folder}/log.%m\n\tmax log size = 0\n"
        lines = [
            line
            for line in conf.read_text().splitlines(keepends=True)
            if not any(one in line for one in ("log file", "max log size"))
        ]
        conf.write_text("".join(lines).replace("[global]\n", only_here + logged, 1))
        self.password_file.touch(0o600)
        self.password_file.write_text(PASSWORD)

    def load(self, operations: list[dict]) -> None:
        """Add objects while the server stands still."""
        spec = self.folder / "spec.json"
        spec.write_text(json.dumps(operations))
        loader = Path(__file__).with_name("load_domain.py")
        done = subprocess.run(
            ["/usr/bin/python3", str(loader), str(self.folder / "etc/smb.conf"), str(spec), "extended"],
            capture_output=True,
            timeout=600,
            check=False,
        )
        assert done.returncode == 0, done.stderr.decode()
        (self.folder / "sids.json").write_bytes(done.stdout)
        self.sids = json.loads(done.stdout)

    def start(self) -> None:
        conf = str(self.folder / "etc/smb.conf")
        self.audit_log.touch()
        self.process = subprocess.Popen(
            [*ENDS_WITH_US, "unshare", "-m", "-p", "-f", "--kill-child", "sh", "-c", _APART, "sh", conf],
            stdin=subprocess.DEVNULL,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
            start_new_session=True,
        )
        deadline = time.monotonic() + 60
        while not (self.ca_file.exists() and self._listens()):
            assert time.monotonic() < deadline, "the directory server did not come up within a minute"
            with contextlib.suppress(subprocess.TimeoutExpired):
                code = self.process.wait(0.1)
                raise AssertionError(f"the directory server ended by itself with {code}")

    def _listens(self) -> bool:
        with socket.socket() as probe:
            probe.settimeout(1)
            return probe.connect_ex(("127.0.0.1", 636)) == 0

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait(30)

    @property
    def local_database(self) -> str:
        """What the server's own tools open."""
        return str(self.folder / "private/sam.ldb")

    @property
    def client_environment(self) -> dict[str, str]:
        """What a plain client needs to trust this server."""
        return {**os.environ, "LDAPTLS_CACERT": str(self.ca_file), "LDAPTLS_REQCERT": "allow"}

    def bound(self, name: str) -> Wire:
        """A connection of its own, as somebody."""
        return Wire(Address(self.url, str(self.ca_file), self.tls_name), rf"LOWMERE\{name}", PASSWORD)

    def lets_in(self, name: str) -> bool:
        """Tell whether somebody can bind, which happens at the server itself."""
        try:
            self.bound(name).close()
        except CredentialsRefusedError:
            return False
        return True

    def ask(
        self, query: str, *attributes: str, base: str = "", scope: str = "sub", options: tuple[str, ...] = ()
    ) -> list[dict[str, list[str]]]:
        """Ask a plain LDAP client, which shares no code with the tool; values of base64 are given as they come."""
        command = ["ldapsearch", "-LLL", "-o", "ldif-wrap=no", "-E", "pr=500/noprompt", *options, "-H", self.url, "-x"]
        command += [
            "-D",
            self.bind_as,
            "-y",
            str(self.password_file),
            "-b",
            base or self.base,
            "-s",
            scope,
            query,
            *attributes,
        ]
        done = subprocess.run(
            command, capture_output=True, text=True, check=False, timeout=300, env=self.client_environment
        )
        assert done.returncode == 0, done.stderr
        text = "\n".join(line for line in done.stdout.splitlines() if not line.startswith("#"))
        return [_entry(block) for block in text.split("\n\n") if block.lstrip().lower().startswith("dn:")]

    def change(self, ldif: str) -> None:
        """Change the directory with a plain LDAP client."""
        done = self._modify(ldif)
        assert done.returncode == 0, done.stderr

    def try_change(self, ldif: str) -> bool:
        """Change the directory with a plain LDAP client, and tell whether the server did it."""
        return self._modify(ldif).returncode == 0

    def _modify(self, ldif: str) -> subprocess.CompletedProcess[str]:
        command = ["ldapmodify", "-H", self.url, "-x", "-D", self.bind_as, "-y", str(self.password_file)]
        return subprocess.run(
            command,
            input=ldif + "\n",
            capture_output=True,
            text=True,
            check=False,
            timeout=60,
            env=self.client_environment,
        )

    def members_of(self, name: str) -> set[str]:
        """Return the leaf names that a group lists, by the plain client."""
        found = self.ask(f"(sAMAccountName={name})", "member")
        return {dn.partition(",")[0].removeprefix("CN=") for dn in found[0].get("member", [])}


def _entry(block: str) -> dict[str, list[str]]:
    values: dict[str, list[str]] = {}
    for line in block.strip().splitlines():
        name, _, value = line.partition(":")
        values.setdefault(name, []).append(value.strip())
    return values
