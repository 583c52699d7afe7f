"""Two real domains that trust each other, on loopback: LOWMERE, and ISLE, the forest of the harbour pilots."""

import json
import os
import random
import signal
import socket
import subprocess
import tarfile
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from hashlib import sha256
from itertools import permutations
from pathlib import Path
from typing import Any

from tests.alone import CACHE, ENDS_WITH_US
from tests.server.scenario_load import group_type
from tests.server.server import PASSWORD, Server

_HERE = Path(__file__).parent
_LOADER = _HERE.parent / "server/load_domain.py"
LOW_SCOPES = ("global", "universal", "domain local", "domain local")
ISLE_SCOPES = ("global", "universal")
"""Those of which groups count in another domain as well."""


@dataclass
class Controller:
    """One of the two."""

    folder: Path
    realm: str
    short: str
    host: str
    address: str
    process: subprocess.Popen | None = None
    sids: dict[str, str] = field(default_factory=dict)

    @property
    def base(self) -> str:
        return ",".join(f"DC={part}" for part in self.realm.split("."))

    @property
    def conf(self) -> str:
        return str(self.folder / "etc/smb.conf")

    @property
    def named(self) -> str:
        """Its line among hosts."""
        return f"{self.address} {self.host}.{self.realm} {self.host}"

    def provision(self) -> subprocess.Popen:
        run = ["samba-tool", "domain", "provision", f"--realm={self.realm}", f"--domain={self.short}"]
        run += ["--server-role=dc", f"--adminpass={PASSWORD}", "--dns-backend=SAMBA_INTERNAL"]
        run += [f"--targetdir={self.folder}", f"--host-name={self.host}", f"--host-ip={self.address}"]
        return subprocess.Popen(run, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)

    def settle(self, other: "Controller") -> None:
        """Give it its own address alone, and its own files."""
        given = Path(self.conf)
        left = ("log file", "max log size", "dns forwarder")
        lines = [line for line in given.read_text().splitlines(keepends=True) if not any(one in line for one in left)]
        own = (
            f"[global]\n\tinterfaces = {self.address}/8\n\tbind interfaces only = yes\n"
            "\tserver services = s3fs, rpc, ldap, cldap, kdc, winbindd, dns\n"
            f"\tdns forwarder = {other.address}\n\tlog level = 0\n\tlog file = {self.folder}/log.%m\n"
            # A domain that did not answer once is taken for off so long, in seconds; by itself for half a minute.
            "\twinbind reconnect delay = 1\n"
        )
        given.write_text("".join(lines).replace("[global]\n", own, 1))

    def load(self, operations: Sequence[dict[str, Any]], timeout: float | None = 300) -> None:
        """Add objects while it stands still."""
        spec = self.folder / "spec.json"
        spec.write_text(json.dumps(list(operations)))
        run = ["/usr/bin/python3", str(_LOADER), self.conf, str(spec)]
        done = subprocess.run(run, capture_output=True, timeout=timeout, check=False)
        assert done.returncode == 0, done.stderr.decode()
        (self.folder / "sids.json").write_bytes(done.stdout)

    def known_to_clients(self) -> None:
        """Give it a name that tickets are for: a server registers one by itself only where it may update the DNS."""
        run = ["samba-tool", "spn", "add", f"ldap/{self.host}.{self.realm}", f"{self.host.upper()}$", "-s", self.conf]
        subprocess.run([*run, "-H", str(self.folder / "private/sam.ldb")], check=True, capture_output=True)
        self.keep_password()

    def keep_password(self) -> None:
        """Write the administrator's password where a client reads it."""
        (self.folder / "password").touch(0o600)
        (self.folder / "password").write_text(PASSWORD)

    def start(self, resolver: str, names: Sequence[str]) -> None:
        self.sids = json.loads((self.folder / "sids.json").read_text())
        inside = ["unshare", "-m", "-p", "-f", "--kill-child", "sh", str(_HERE / "domain.sh")]
        command = [*ENDS_WITH_US, *inside, str(self.folder), resolver, *names]
        with (self.folder / "run.log").open("w") as log:
            self.process = subprocess.Popen(
                command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True
            )

    def wait(self) -> None:
        end = time.monotonic() + 90
        ports = [port for port in (636, 445, 135, 88) if not self._listens(port)]
        while ports:
            assert time.monotonic() < end, f"{self.short} did not come up: {ports}"
            assert self.process is not None
            assert self.process.poll() is None, (self.folder / "run.log").read_text()[-2000:]
            os.sched_yield()
            ports = [port for port in ports if not self._listens(port)]

    def _listens(self, port: int) -> bool:
        with socket.socket() as probe:
            probe.settimeout(1)
            return probe.connect_ex((self.address, port)) == 0

    def meet(self, other: "Controller") -> None:
        """Wait until it has a connection to the other domain: one that has just begun refuses all about it."""
        end = time.monotonic() + 120
        while self.inside("wbinfo", "--ping-dc", f"--domain={other.short}", SMB_CONF_PATH=self.conf).returncode:
            assert time.monotonic() < end, f"{self.host} does not find {other.short}"

    @property
    def runs(self) -> bool:
        return self.process is not None and self.process.poll() is None

    def stop(self) -> None:
        if self.process is not None and self.runs:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait(30)
            end = time.monotonic() + 30
            while any(map(self._listens, (636, 445, 135, 88))):  # those inside are ended a moment later
                assert time.monotonic() < end, f"{self.short} goes on listening"
                os.sched_yield()

    def inside(
        self, *command: str, given: str = "", at: Path | None = None, **environment: str
    ) -> "subprocess.CompletedProcess[str]":
        """Run a command where the controller runs, which knows the names of both."""
        assert self.process is not None
        [child] = Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()[:1]
        run = ["nsenter", "-t", child, "-m", "-p", "sh", "-c", 'cd "$0" && exec "$@"', str(at or Path.cwd()), *command]
        return subprocess.run(
            run,
            input=given,
            capture_output=True,
            text=True,
            timeout=180,
            check=False,
            env={**os.environ, **environment},
        )

    def keytab(self, name: str, file: Path) -> Path:
        """Write the keys of an account into a key table."""
        run = ["samba-tool", "domain", "exportkeytab", str(file), f"--principal={name}@{self.realm.upper()}"]
        done = self.inside(*run, "-s", self.conf)
        assert file.exists(), done.stderr
        return file

    @property
    def client(self) -> Server:
        """A plain client of it, which shares no code with the tool."""
        server = Server(self.folder, url=f"ldaps://{self.address}", bind_as=rf"{self.short}\Administrator")
        server.base = self.base
        return server


class TwoDomains:
    """Both, with people and groups of a lot, and groups of the one that hold those of the other."""

    def __init__(self, folder: Path) -> None:
        self.low = Controller(folder / "low", "lowmere.example", "LOWMERE", "lowdc", "127.0.0.61")
        self.isle = Controller(folder / "isle", "isle.example", "ISLE", "isledc", "127.0.0.62")
        self.second = Controller(folder / "second", "lowmere.example", "LOWMERE", "lowdc2", "127.0.0.63")
        """Another server of LOWMERE, that runs when it is wanted; neither tells the other what it is told."""
        self.folder = folder

    def made(self) -> None:
        """Make them, or take them as they were made the last time: that takes a minute and a half."""
        version = subprocess.run(["samba", "--version"], check=True, capture_output=True).stdout
        sources = [path.read_bytes() for path in (Path(__file__), _HERE / "domain.sh", _LOADER)]
        archive = CACHE / f"forest-{sha256(b'|'.join([version, *sources])).hexdigest()[:32]}.tar"
        if archive.exists():
            with tarfile.open(archive) as tar:
                tar.extractall(self.folder, filter="fully_trusted")  # noqa: S202 - our own, with its owners
            made_in = (self.folder / "made_in").read_text()
            for one in (self.low, self.isle, self.second):
                conf = Path(one.conf)
                conf.write_text(conf.read_text().replace(made_in, str(self.folder)))
            self._start()
            self._meet()
            return
        for running in [one.provision() for one in (self.low, self.isle)]:
            assert running.wait(300) == 0
        (self.folder / "made_in").write_text(str(self.folder))
        lot = random.Random(20261130)
        for one, other, scopes in ((self.low, self.isle, LOW_SCOPES), (self.isle, self.low, ISLE_SCOPES)):
            one.settle(other)
            one.load(_operations(one, scopes, lot))
            one.known_to_clients()
        self._start()
        self._trust()
        self._across(lot)
        self._join()
        self.stop()
        archive.parent.mkdir(parents=True, exist_ok=True)
        for old in archive.parent.glob("forest-*.tar"):
            old.unlink()
        beside = archive.with_suffix(f".{os.getpid()}")
        with tarfile.open(beside, "w") as tar:
            tar.add(self.folder, ".", filter=_kept)
        beside.rename(archive)
        self._start()
        self._meet()

    def _start(self) -> None:
        for one in (self.low, self.isle):
            one.start(one.address, self._names)
        for one in (self.low, self.isle):
            one.wait()

    def _meet(self) -> None:
        """Let all that run find those of the other domain."""
        running = [one for one in (self.low, self.isle, self.second) if one.runs]
        for one, other in permutations(running, 2):
            if one.realm != other.realm:
                one.meet(other)

    @property
    def _names(self) -> list[str]:
        return [one.named for one in (self.low, self.isle, self.second)]

    def start(self, one: Controller) -> None:
        """Start one that does not run, and let all find the other domain."""
        self.start_unmet(one)
        self._meet()

    def start_unmet(self, one: Controller) -> None:
        """Start one that does not run; a server that was connected to it does not know yet that it was away."""
        one.start(self.low.address if one is self.second else one.address, self._names)
        one.wait()

    def stop(self) -> None:
        for one in (self.low, self.isle, self.second):
            one.stop()

    def _join(self) -> None:
        run = ["samba-tool", "domain", "join", self.low.realm, "DC", f"--targetdir={self.second.folder}"]
        run += [f"--server={self.low.host}.{self.low.realm}", f"--option=netbios name = {self.second.host}"]
        run += [f"--option=interfaces = {self.second.address}/8", "--option=bind interfaces only = yes"]
        done = self.low.inside(*run, "-U", f"Administrator%{PASSWORD}")
        assert done.returncode == 0, done.stdout + done.stderr
        self.second.settle(self.isle)
        (self.second.folder / "sids.json").write_bytes((self.low.folder / "sids.json").read_bytes())
        self.second.keep_password()

    def _trust(self) -> None:
        run = ["samba-tool", "domain", "trust", "create", self.isle.realm, "--type=forest", "--direction=both"]
        run += ["--create-location=both", "-s", self.low.conf, f"--local-dc-ipaddress={self.low.address}"]
        run += ["-U", f"Administrator@{self.isle.realm.upper()}%{PASSWORD}"]
        run += [f"--local-dc-username=Administrator@{self.low.realm.upper()}", f"--local-dc-password={PASSWORD}"]
        done = self.low.inside(*run)
        assert "Success." in done.stdout, done.stdout + done.stderr

    def _across(self, lot: random.Random) -> None:
        """Put some of ISLE into the domain local groups of LOWMERE, by their SIDs alone."""
        theirs = sorted(name for name in self.isle.sids if name.startswith(("ip", "ig")))
        for group in sorted(name for name in self.low.sids if name.startswith("lg")):
            for member in lot.sample(theirs, 4) if _scope(group, LOW_SCOPES) == "domain local" else ():
                self.low.client.change(
                    f"dn: CN={group},OU=Lot,{self.low.base}\nchangetype: modify\nadd: member\n"
                    f"member: <SID={self.isle.sids[member]}>\n"
                )

    def as_somebody(self, domain: Controller, name: str, *change: str) -> Any:
        """Sign in at LOWMERE as somebody of either domain; their token, or whether a change was done."""
        run = ["/usr/bin/python3", str(_HERE / "as_somebody.py"), self.low.conf, self.low.address]
        done = self.low.inside(*run, domain.short, name, *change, given=f"{PASSWORD}\n")
        assert done.returncode == 0, done.stderr
        return json.loads(done.stdout)


def _kept(member: tarfile.TarInfo) -> tarfile.TarInfo | None:
    """Leave out what only a running server has."""
    return None if member.name.startswith(("./low/msg.", "./isle/msg.", "./second/msg.")) else member


def _scope(group: str, scopes: Sequence[str]) -> str:
    return scopes[int(group[2:]) % len(scopes)]


_MAY_HOLD = {
    "global": {"global"},
    "universal": {"global", "universal"},
    "domain local": {"global", "universal", "domain local"},
}


def _operations(one: Controller, scopes: Sequence[str], lot: random.Random) -> list[dict[str, Any]]:
    """Twenty people and eight groups, nested as scopes allow, in an OU of their own."""
    letter, place = one.short[0].lower(), f"OU=Lot,{one.base}"
    found: list[dict[str, Any]] = [{"do": "add", "dn": place, "values": {"objectClass": "organizationalUnit"}}]
    groups = {f"{letter}g{n}": _scope(f"{letter}g{n}", scopes) for n in range(8)}
    for name, scope in groups.items():
        values = {"objectClass": "group", "sAMAccountName": name, "groupType": group_type(scope, security=True)}
        found.append({"do": "add", "dn": f"CN={name},{place}", "values": values})
    people = [f"{letter}p{n}" for n in range(20)]
    for name in people:
        values = {"objectClass": "user", "sAMAccountName": name, "userAccountControl": "512"}
        secret = f'"{PASSWORD}"'.encode("utf-16-le").decode("latin-1")
        found.append({"do": "add", "dn": f"CN={name},{place}", "values": {**values, "unicodePwd": secret}})
    order = list(groups)
    for at, name in enumerate(order):
        inside = [other for other in order[at + 1 :] if groups[other] in _MAY_HOLD[groups[name]]]
        members = [*lot.sample(inside, min(len(inside), 2)), *lot.sample(people, 4)]
        dns = [f"CN={member},{place}" for member in members]
        found.append({"do": "modify", "dn": f"CN={name},{place}", "changes": [("member", "add", dns)]})
    return found
