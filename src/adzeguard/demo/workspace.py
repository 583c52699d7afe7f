"""Makes the workspace of the example in a folder."""

import os
from datetime import datetime
from importlib.resources import files
from pathlib import Path
from tempfile import TemporaryDirectory

from adzeguard.account_names import account_name
from adzeguard.core.errors import UsageError
from adzeguard.demo.as_hosts import write_hosts
from adzeguard.demo.as_ldif import DOMAIN_SID, LdifDomain
from adzeguard.demo.as_shares import SERVER, write_shares
from adzeguard.demo.as_trail import trail_text
from adzeguard.demo.scenario import Scenario
from adzeguard.private_files import write_new
from adzeguard.settings.settings import ONLY_SOURCE, HostsSettings, make_workspace, settings_text


def make_demo(folder: Path, scenario: Scenario, now: datetime) -> None:
    """Write the directory, the hosts, the charter and the settings."""
    if folder.exists() and any(folder.iterdir()):
        raise UsageError(f"{folder} is not empty", "Name another folder: adzeguard demo DIR")
    try:
        folder.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        # Made beside and given its name at the end: after a stop, or a full disk, it can be made again.
        with TemporaryDirectory(prefix=f".{folder.name}.", dir=folder.parent) as beside:
            _make(Path(beside) / "made", scenario, now)
            (Path(beside) / "made").rename(folder)
    except OSError as error:
        raise UsageError(f"{folder} cannot be made: {error.strerror}", "Name another folder") from error


def _make(folder: Path, scenario: Scenario, now: datetime) -> None:
    domain = LdifDomain(scenario, now)
    folder.mkdir(mode=0o700)
    write_new(folder / "lowmere.ldif", domain.text())
    write_new(folder / "trail.jsonl", trail_text(scenario, domain.sid_of, now))
    write_hosts(scenario, domain.sid_of, DOMAIN_SID, folder / "hosts", now)
    write_shares(scenario, domain.sid_of, DOMAIN_SID, folder / "shares")
    settings = settings_text(
        {"kind": "ldif", "file": "lowmere.ldif"},
        [HostsSettings(ONLY_SOURCE, {"kind": "standin", "folder": "hosts"})],
        {"response": "tell", "privileged": [r"LOWMERE\Break Glass"]},
        account_name(os.getuid()),
    )
    settings += f'\n[shares.harbour]\nkind = "standin-shares"\nfolder = "shares"\nserver = "{SERVER}"\n'
    make_workspace(folder, settings, charter_text())


def charter_text() -> str:
    """Return the charter of the example."""
    return files("adzeguard.demo").joinpath("charter.yaml").read_text(encoding="utf-8")
