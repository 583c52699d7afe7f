"""The hosts of the example as stand-in host files."""

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from adzeguard.core.identity import Sid
from adzeguard.demo.as_ldif import machine_sid
from adzeguard.demo.scenario import HostSpec, Scenario
from adzeguard.hosts.standin import host_file_text


def write_hosts(scenario: Scenario, sid_of: Mapping[str, Sid], domain_sid: str, folder: Path) -> None:
    """Write one file a host. `sid_of` gives the SIDs of the directory that the hosts belong to, by name."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    for host in scenario.hosts:
        path = folder / f"{host.name}.json"
        content = host_file_text(host_content(host, sid_of, Sid(f"{domain_sid}-{scenario.dangling_rid}")))
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as file:
            file.write(content)


def host_content(host: HostSpec, sid_of: Mapping[str, Sid], dangling: Sid) -> dict[str, Any]:
    """Return the content of one host file."""
    machine = machine_sid(host.name)
    accounts = {"administrator": 500, "guest": 501} | {name: 1000 + n for n, name in enumerate(host.local_accounts, 1)}

    def sids(names: list[str]) -> list[str]:
        texts = []
        for name in names:
            local = name.startswith("\\")
            texts.append(dangling if name == "?" else f"{machine}-{accounts[name[1:]]}" if local else str(sid_of[name]))
        return sorted(texts)

    groups = [
        ("Administrators", "S-1-5-32-544", sids(host.administrators)),
        ("Users", "S-1-5-32-545", sids(["Domain Users"])),
        ("Remote Desktop Users", "S-1-5-32-555", sids(host.remote_users)),
        *(
            (name, f"{machine}-{1100 + n}", sids(members))
            for n, (name, members) in enumerate(host.local_groups.items())
        ),
    ]
    return {
        "host": host.name,
        "machine_sid": machine,
        "accounts": [
            {"name": name, "sid": f"{machine}-{rid}", "enabled": name != "guest"} for name, rid in accounts.items()
        ],
        "local_groups": [{"name": name, "sid": sid, "members": members} for name, sid, members in groups],
        "behaviour": {"offline": host.offline, "refuses": False, "slow_seconds": 0},
    }
