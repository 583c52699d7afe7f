"""A host driver as another package brings it: all hosts in one register, which is a JSON file."""

import json
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

from adzeguard.core.change.change import Change
from adzeguard.core.change.kinds.add_local_member import AddLocalMember
from adzeguard.core.change.kinds.membership import LocalMembershipChange
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import HostRefusedError, HostUnknownError
from adzeguard.core.estate.capabilities import pack_state, unpack_state
from adzeguard.core.estate.hosts import Host, HostState

# Sessions with different hosts are used from several threads at once, and here they share one file.
_ONE_AT_A_TIME = threading.Lock()


class Register:
    """The hosts of one register."""

    def __init__(self, path: Path) -> None:
        self.path = path

    @contextmanager
    def session(self, host: Host) -> Iterator["Line"]:
        with _ONE_AT_A_TIME:
            known = json.loads(self.path.read_text())
        if host.name not in known:
            raise HostUnknownError(f"the register has no {host.name}")
        yield Line(self.path, host.name)

    def close(self) -> None:
        pass


class Line:
    """One host of it."""

    def __init__(self, path: Path, host: str) -> None:
        self.path = path
        self.host = host

    def read(self) -> HostState:
        with _ONE_AT_A_TIME:
            return self._state()

    def _state(self) -> HostState:
        return unpack_state(json.loads(self.path.read_text())[self.host])

    def change(self, change: Change) -> None:
        if not isinstance(change, LocalMembershipChange):
            raise HostRefusedError(f"the register knows no {change.kind}")
        with _ONE_AT_A_TIME:
            self._change_member(change)

    def _change_member(self, change: LocalMembershipChange) -> None:
        state, member = self._state(), {change.member_sid}
        groups = tuple(
            replace(g, members=g.members | member if isinstance(change, AddLocalMember) else g.members - member)
            if g.sid == change.group_sid
            else g
            for g in state.groups
        )
        hosts = json.loads(self.path.read_text())
        self.path.write_text(json.dumps({**hosts, self.host: pack_state(replace(state, groups=groups))}))


def open_register(settings: Settings, _secret: Secret, _names: Names) -> Register:
    """Open the register that the settings name."""
    return Register(Path(settings["path"]))


DRIVER = DriverKind("one-register", (Setting("path", "The register.", is_path=True, needed=True),), open_register)
