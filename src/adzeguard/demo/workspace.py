"""Makes the workspace of the example in a folder."""

import os
from datetime import datetime
from importlib.resources import files
from pathlib import Path

from adzeguard.core.errors import UsageError
from adzeguard.demo.as_hosts import write_hosts
from adzeguard.demo.as_ldif import DOMAIN_SID, LdifDomain
from adzeguard.demo.scenario import Scenario
from adzeguard.workspace.settings import make_workspace, settings_text


def make_demo(folder: Path, scenario: Scenario, now: datetime) -> None:
    """Write the directory, the hosts, the charter and the settings."""
    if folder.exists() and any(folder.iterdir()):
        raise UsageError(f"{folder} is not empty", "Name another folder: adzeguard demo DIR")
    domain = LdifDomain(scenario, now)
    folder.mkdir(mode=0o700, parents=True, exist_ok=True)
    with os.fdopen(os.open(folder / "lowmere.ldif", os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
        file.write(domain.text())
    write_hosts(scenario, domain.sid_of, DOMAIN_SID, folder / "hosts")
    settings = settings_text(
        {"kind": "ldif", "file": "lowmere.ldif"},
        {"kind": "standin", "folder": "hosts"},
        {"response": "tell", "privileged": [r"LOWMERE\Break Glass"]},
    )
    make_workspace(folder, settings, charter_text())


def charter_text() -> str:
    """Return the charter of the example."""
    return files("adzeguard.demo").joinpath("charter.yaml").read_text(encoding="utf-8")
