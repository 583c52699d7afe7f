"""A real member host of the domain, beside the directory server."""

import base64
import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest
from impacket import smbconnection
from impacket.dcerpc.v5 import rpcrt, samr, transport, wkst
from impacket.dcerpc.v5.dtypes import RPC_SID

from tests.alone import ENDS_WITH_US, PACKAGES
from tests.program import Program
from tests.server.server import PASSWORD, Server

_SCRIPT = Path(__file__).with_name("member.sh")
_FOLDER = "/srv/member"
_ADMINISTRATORS = 544
HOST = "HARBOUR-01"
_UTMP = """
import struct, sys
who, nothing = sys.argv[1].encode(), [0] * 9
one = struct.pack("<hxxi32s4s32s256shhiii4i20s", 7, 1, b"pts/0", b"ts/0", who, b"", *nothing, b"")
open("/run/utmp", "wb").write(one)
"""
"""A record of utmp(5), of the type USER_PROCESS."""


@dataclass(frozen=True)
class Member:
    """The host that runs, by its address."""

    address: str
    pid: int

    def run(self, *command: str) -> "subprocess.CompletedProcess[str]":
        """Run a command on the host itself."""
        inside = ["nsenter", "-t", str(self.pid), "-m", "-u", "-p", "chroot", "/mnt/root", *command]
        return subprocess.run(inside, capture_output=True, text=True, timeout=60, check=False)

    def switch(self, *, on: bool) -> None:
        """Switch its file server off, or on."""
        if on:
            assert self.run("smbd", "-D", "-s", f"{_FOLDER}/smb.conf").returncode == 0
        else:
            self.run("pkill", "-9", "smbd")
        end = time.monotonic() + 30
        while listens(self.address) != on:
            assert time.monotonic() < end, "the member host did not do as it was told"
            os.sched_yield()

    def administrators(self, add: str = "") -> set[str]:
        """The SIDs in its administrators group, after putting one in behind our back."""
        with service_of(self.address, "samr", samr.MSRPC_UUID_SAMR) as service:
            handle = samr.hSamrConnect(service)["ServerHandle"]
            builtin = samr.hSamrLookupDomainInSamServer(service, handle, "Builtin")["DomainId"]
            domain = samr.hSamrOpenDomain(service, handle, domainId=builtin)["DomainHandle"]
            alias = samr.hSamrOpenAlias(service, domain, aliasId=_ADMINISTRATORS)["AliasHandle"]
            if add:
                sid = RPC_SID()
                sid.fromCanonical(add)
                samr.hSamrAddMemberToAlias(service, alias, sid)
            members = samr.hSamrGetMembersInAlias(service, alias)["Members"]["Sids"]
        return {member["SidPointer"].formatCanonical() for member in members}

    def tickets(self, password: str) -> bytes:
        """A cache of tickets, as a login on the host itself makes it."""
        script = (
            "export KRB5CCNAME=FILE:/root/cache; printf '%s\\n' \"$1\" |"
            f" net -s {_FOLDER}/smb.conf ads kerberos kinit -U Administrator@LOWMERE.EXAMPLE >&2;"
            f" net -s {_FOLDER}/smb.conf rpc group list --use-kerberos=required -S harbour-01.lowmere.example >&2;"
            " base64 /root/cache"
        )
        done = self.run("sh", "-c", script, "sh", password)
        assert done.returncode == 0, done.stderr
        return base64.b64decode(done.stdout)

    def session(self, who: str) -> None:
        """Note that somebody has a session, as login(1) does, and nobody else; nobody at all for an empty name."""
        if not who:
            self.run("rm", "-f", "/run/utmp")
            return
        done = self.run("python3", "-c", _UTMP, who)
        assert done.returncode == 0, done.stderr

    def is_administered_by(self, name: str) -> bool:
        """Whether the host tells somebody who is logged on to it, which it tells its administrators alone."""
        try:
            with service_of(self.address, "wkssvc", wkst.MSRPC_UUID_WKST, name) as service:
                wkst.hNetrWkstaUserEnum(service, 1)
        except (rpcrt.DCERPCException, smbconnection.SessionError):
            return False
        return True

    def notice(self, value: str) -> str:
        """One value of its notice, as its own tool says it."""
        key = "HKLM\\SOFTWARE\\Microsoft\\Windows\\CurrentVersion\\Policies\\System"
        done = self.run("net", "-s", f"{_FOLDER}/smb.conf", "registry", "getvalueraw", key, value)
        return done.stdout.rstrip("\n") if done.returncode == 0 else ""


@contextmanager
def service_of(address: str, pipe: str, of: bytes, name: str = "Administrator") -> Iterator[Any]:
    """A service of a host, bound, over a connection as somebody."""
    connection = smbconnection.SMBConnection("member", address)
    try:
        connection.login(name, PASSWORD, "LOWMERE")
        way = transport.DCERPCTransportFactory(rf"ncacn_np:{address}[\pipe\{pipe}]")
        way.set_smb_connection(connection)
        service = way.get_dce_rpc()
        service.connect()
        service.bind(of)
        yield service
    finally:
        connection.close()


def listens(address: str, port: int = 445) -> bool:
    """Tell whether anybody listens there."""
    with socket.socket() as probe:
        probe.settimeout(1)
        return probe.connect_ex((address, port)) == 0


@pytest.fixture(scope="session")
def member(server: Server) -> Iterator[Member]:
    """One member host, joined to the domain; its account goes again with the domain."""
    with joined(server) as running:
        yield running


@contextmanager
def joined(server: Server) -> Iterator[Member]:
    """Join a member host to the domain, and let it run."""
    assert shutil.which("unshare"), "a member host needs namespaces"
    name = socket.gethostname().partition(".")[0].lower()
    log = (server.folder / "member.log").open("w")
    command = [*ENDS_WITH_US, "unshare", "-m", "-u", "-p", "-f", "--kill-child", "sh", str(_SCRIPT)]
    arguments = ["127.0.0.2", "harbour-01", _FOLDER, PASSWORD, name, str(PACKAGES)]
    process = subprocess.Popen([*command, *arguments], stdout=log, stderr=log, start_new_session=True)
    try:
        end = time.monotonic() + 180
        while not listens("127.0.0.2"):
            assert process.poll() is None, (server.folder / "member.log").read_text()[-2000:]
            assert time.monotonic() < end, "the member host did not come up"
            os.sched_yield()
        children = Path(f"/proc/{process.pid}/task/{process.pid}/children").read_text().split()
        yield Member("127.0.0.2", int(children[0]))
    finally:
        with contextlib.suppress(ProcessLookupError):  # it could not be joined
            os.killpg(process.pid, signal.SIGKILL)
        process.wait(30)
        log.close()


@pytest.fixture
def harbour(workspace: Program, server: Server, member: Member) -> Program:
    """The workspace, of whose hosts one is the real member host."""
    settings = workspace.folder / "adzeguard.toml"
    text = settings.read_text()
    at = text.index("[hosts]")
    rest = text[text.index("\n[", at + 1) :] if "\n[" in text[at + 1 :] else ""
    settings.write_text(text[:at] + sources(server, member.address) + rest)
    charter(workspace)
    workspace("collect")
    return workspace


def sources(server: Server, address: str, port: int = 445) -> str:
    """The member host alone, by its account database."""
    return (
        f"[hosts.sam]\nkind = 'remote-sam'\nnamed = '{HOST}'\naddress = '{address}'\nport = {port}\n"
        f"account = 'LOWMERE\\Administrator'\npassword_file = {json.dumps(str(server.password_file))}\n"
    )


def charter(program: Program, *rules: str) -> None:
    """A charter of these rules about the member host, which are mended."""
    text = "".join(f"- id: r{n}\n  response: mend\n  hosts: {{named: {HOST}}}\n  {r}\n" for n, r in enumerate(rules))
    (program.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n{text or '  []'}\n")
