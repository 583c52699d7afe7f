"""The demo with a real Linux host among its hosts."""

import json

import pytest

from tests.linux.sandbox import LinuxHost
from tests.program import Program

NAV = "CONSOLE-12"


@pytest.fixture
def nav(demo: Program, linux_host: LinuxHost) -> Program:
    """The demo, of whose hosts one is a real Linux host, which is as it was made."""
    settings = demo.folder / "adzeguard.toml"
    text = settings.read_text()
    at = text.index("[hosts]")
    sources = f"""[hosts.nav]
kind = "ssh"
named = "{NAV}"
account = "keeper"
key = {json.dumps(str(linux_host.key))}
known_hosts = {json.dumps(str(linux_host.known_hosts))}
port = {linux_host.port}
address = "127.0.0.1"
names = '{{domain}}\\{{name}}'

[hosts.others]
kind = "standin"
folder = "hosts"
"""
    settings.write_text(text[:at] + sources + text[text.index("\n[", at + 1) :])
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    linux_host.as_made()
    assert demo("collect").code == 4
    return demo


def charter(program: Program, *rules: str) -> None:
    """A charter of these rules, each about the Linux host, which are mended."""
    text = "".join(f"- id: rule-{n}\n  response: mend\n  hosts: {{named: {NAV}}}\n  {r}\n" for n, r in enumerate(rules))
    (program.folder / "charter/charter.yaml").write_text(
        f"charter: 1\nrules:\n{text}" if rules else "charter: 1\nrules: []\n"
    )
