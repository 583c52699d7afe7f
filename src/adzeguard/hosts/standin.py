"""Simulated hosts, one JSON file each, for the demo and for trying things out.

{
  "host": "KIOSK-07",
  "machine_sid": "S-1-5-21-…",
  "accounts": [{"name": "administrator", "sid": "S-1-5-21-…-500", "enabled": true}],
  "local_groups": [{"name": "Administrators", "sid": "S-1-5-32-544", "members": ["S-1-5-21-…-512"]}],
  "behaviour": {"offline": false, "refuses": false, "slow_seconds": 0}
}

`behaviour` makes the host switched off, unwilling or slow.
"""

import json
import os
import time
from pathlib import Path
from typing import Annotated, Final

from pydantic import AfterValidator, BaseModel, ConfigDict, Field, ValidationError

from adzeguard.core.errors import HostFileError, HostRefusedError, HostUnknownError, HostUnreachableError
from adzeguard.core.estate.hosts import HostState, LocalAccount, LocalGroup
from adzeguard.core.identity import Sid
from adzeguard.hosts.port import Capability, LocalGroupChange, Options

_LARGEST_FILE: Final = 8 * 1024 * 1024


def open_driver(options: Options) -> "StandinHosts":
    """Open the folder that the settings name."""
    return StandinHosts(Path(options["folder"]))


def _sid_text(text: str) -> str:
    return Sid.parse(text)


_SidText = Annotated[str, AfterValidator(_sid_text)]


class _Model(BaseModel):
    model_config = ConfigDict(extra="forbid")


class _Account(_Model):
    name: str
    sid: _SidText
    enabled: bool = True


class _Group(_Model):
    name: str
    sid: _SidText
    members: list[_SidText] = []


class _Behaviour(_Model):
    offline: bool = False
    refuses: bool = False
    slow_seconds: float = Field(0, ge=0, le=60)


class _HostFile(_Model):
    host: str
    machine_sid: _SidText
    accounts: list[_Account] = []
    local_groups: list[_Group] = []
    behaviour: _Behaviour = _Behaviour()


class StandinHosts:
    """A folder of host files."""

    capabilities = frozenset({Capability.LOCAL_GROUPS})

    def __init__(self, folder: Path) -> None:
        self._folder = folder

    def read(self, host: str) -> HostState:
        """Read one host, as its behaviour lets it."""
        return _state(self._answering(host))

    def change(self, host: str, change: LocalGroupChange) -> None:
        """Make one change and write the file whole."""
        content = self._answering(host)
        place = next((at for at, g in enumerate(content.local_groups) if g.sid == change.group), None)
        if place is None:
            raise HostRefusedError(f"{host} has no local group {change.group}")
        group = content.local_groups[place]
        if change.add == (change.member in group.members):
            state = "holds" if change.add else "does not hold"
            raise HostRefusedError(f"{group.name} on {host} {state} {change.member} already")
        if change.add:
            members = [*group.members, change.member]
            members = sorted(members) if group.members == sorted(group.members) else members
        else:
            members = [member for member in group.members if member != change.member]
        # Only the members are replaced in what was read, so that the rest of the file stays as it was written.
        raw = json.loads(self._path(host).read_bytes())
        raw["local_groups"][place]["members"] = members
        self._write(host, raw)

    def _path(self, host: str) -> Path:
        # The name comes from the directory: it must not lead out of the folder.
        if not host or host.startswith(".") or any(c in host for c in "/\\\0"):
            raise HostUnknownError(f"'{host}' cannot be the name of a host")
        return self._folder / f"{host.upper()}.json"

    def _answering(self, host: str) -> _HostFile:
        content = self._load(host)
        if content.behaviour.slow_seconds:
            time.sleep(content.behaviour.slow_seconds)
        if content.behaviour.offline:
            raise HostUnreachableError(f"{host} does not answer", "Is it switched on?")
        if content.behaviour.refuses:
            raise HostRefusedError(f"{host} refuses the connection", "Check the account's rights there")
        return content

    def _load(self, host: str) -> _HostFile:
        path = self._path(host)
        try:
            if path.stat().st_size > _LARGEST_FILE:
                raise HostFileError(f"{path} is larger than 8 MiB, which no host's state is")
            return _HostFile.model_validate_json(path.read_bytes())
        except FileNotFoundError as error:
            raise HostUnknownError(f"there is no host file {path}") from error
        except OSError as error:
            raise HostUnreachableError(f"{path} cannot be read: {error.strerror}") from error
        except ValidationError as error:
            first = error.errors()[0]
            where = ".".join(str(part) for part in first["loc"])
            said = first["msg"].removeprefix("Value error, ")
            raise HostFileError(
                f"{path}: {f'{where}: ' if where else ''}{said}", "Mend the file, or make it anew"
            ) from error

    def _write(self, host: str, content: dict[str, object]) -> None:
        path = self._path(host)
        try:
            # Always the same name: what an interrupted write left behind is written over by the next one.
            temporary = path.with_name(f".{path.name}.new")
            handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
            with os.fdopen(handle, "w", encoding="utf-8") as file:
                file.write(host_file_text(content))
                file.flush()
                os.fsync(file.fileno())
            temporary.replace(path)
        except OSError as error:
            raise HostUnreachableError(f"{path} cannot be written: {error.strerror}") from error


def host_file_text(content: dict[str, object]) -> str:
    """Return the text of a host file."""
    return json.dumps(content, indent=1) + "\n"


def _state(content: _HostFile) -> HostState:
    return HostState(
        Sid(content.machine_sid),
        tuple(LocalAccount(a.name, Sid(a.sid), a.enabled) for a in content.accounts),
        tuple(LocalGroup(g.name, Sid(g.sid), frozenset(Sid(m) for m in g.members)) for g in content.local_groups),
    )
