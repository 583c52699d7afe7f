"""The hosts of the example as stand-in host files."""

import os
from collections.abc import Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, Final

from adzeguard.core.estate.seen_on import SESSION
from adzeguard.core.identity import Sid
from adzeguard.demo.as_ldif import machine_sid
from adzeguard.demo.scenario import HostSpec, Scenario
from adzeguard.hosts.standin import host_file_text

CHART_PROGRAM: Final = "/opt/charts/update"
CHART_DIGEST: Final = "9f2c41d7" * 8
NEWER_CHART_DIGEST: Final = "0b7ea3c5" * 8
NEWER_CHARTS: Final = ("CONSOLE-07", "CONSOLE-12")
HALF_CLOSED: Final = "QUAY-02"
WORKED_AT: Final = ("KIOSK-12", "isolde.varn.adm")
"""Where an administrator of the domain works just now."""
CLOSED_TITLE: Final = "Not in service yet"
CLOSED_TEXT: Final = "Move this computer to its own organizational unit first."


def write_hosts(scenario: Scenario, sid_of: Mapping[str, Sid], domain_sid: str, folder: Path, now: datetime) -> None:
    """Write one file a host. `sid_of` gives the SIDs of the directory that the hosts belong to, by name."""
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    for host in scenario.hosts:
        path = folder / f"{host.name}.json"
        content = host_content(host, sid_of, Sid(f"{domain_sid}-{scenario.dangling_rid}"))
        if host.name == WORKED_AT[0]:
            at = now.astimezone(UTC) - timedelta(hours=1)
            seen = {"who": sid_of[WORKED_AT[1]], "how": SESSION, "at": at.isoformat(timespec="seconds")}
            content = {**content, "seen_on": [seen]}
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600), "w", encoding="utf-8") as file:
            file.write(host_file_text(content))


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
        **_kind_of_machine(host, sid_of),
        "host": host.name,
        "machine_sid": machine,
        "accounts": [
            {"name": name, "sid": f"{machine}-{rid}", "enabled": name != "guest"} for name, rid in accounts.items()
        ],
        "local_groups": [{"name": name, "sid": sid, "members": members} for name, sid, members in groups],
        "behaviour": {"offline": host.offline, "refuses": False, "slow_seconds": 0},
    }


def _kind_of_machine(host: HostSpec, sid_of: Mapping[str, Sid]) -> dict[str, Any]:
    """What hosts of a place have: consoles run Linux and one program elevated, laptops are reached by their accounts.

    Two consoles got another version of the program. On the Quay one computer is closed, and one only half.
    """
    if "OU=Bridge Consoles" in host.dn:
        program = {"program": CHART_PROGRAM, "sha256": CHART_DIGEST, "arguments": "", "until": ""}
        version = NEWER_CHART_DIGEST if host.name in NEWER_CHARTS else CHART_DIGEST
        return {
            "looks_like": "linux",
            "elevated": [program | {"who": str(sid_of["Console Wardens"])}],
            "programs": {CHART_PROGRAM: version},
        }
    if "OU=Shore Laptops" in host.dn:
        return {"looks_like": "remote-sam"}
    if "OU=Quay" in host.dn:
        ways = ["console"] if host.name == HALF_CLOSED else ["console", "remote"]
        refused = {way: [str(sid_of["Domain Users"])] for way in ways}
        return {"logon": {"refused": refused}, "notice": {"title": CLOSED_TITLE, "text": CLOSED_TEXT}}
    return {}
