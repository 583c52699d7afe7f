"""The driver for the host on which the program itself runs, without a connection."""

import os
from collections.abc import Iterator, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from socket import gethostname
from subprocess import PIPE, Popen
from threading import Event, Timer
from typing import Final

from adzeguard.account_names import account_name
from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import HostRefusedError, HostUnknownError, HostUnreachableError
from adzeguard.core.estate.hosts import Host
from adzeguard.hosts.linux.bounded import LONGEST_ANSWER, LONGEST_COMPLAINT, read_up_to
from adzeguard.hosts.linux.native_names import checked_pattern
from adzeguard.hosts.linux.session import Habits, LinuxSession
from adzeguard.hosts.linux.shell import AS_ROOT, COMMAND, Ran, refusal_of_sudo, without_warnings
from adzeguard.hosts.port import Step

_LONGEST_WAIT: Final = 120
NAMES_SETTING: Final = Setting("names", r"How hosts name people of the directory: {name}, or {domain}\{name}.")
ADMINISTRATORS_SETTING: Final = Setting("administrators", "The administrators group; otherwise sudo, or wheel.")


def habits_of(settings: Settings) -> Habits:
    """Return what the settings say of how hosts name people."""
    return Habits(checked_pattern(settings.get("names", "{name}")), settings.get("administrators", ""))


def open_local(settings: Settings, _secret: Secret, names: Names) -> "LocalHost":
    """Open the host itself."""
    return LocalHost(names, habits_of(settings), settings.get("host", ""))


DRIVER: Final = DriverKind(
    "local",
    (
        Setting("host", "The host's name in the directory, where it is not its own."),
        NAMES_SETTING,
        ADMINISTRATORS_SETTING,
    ),
    open_local,
)


class LocalShell:
    """Runs scripts on this host; as somebody else than root through sudo, which must not ask for a password."""

    def __init__(self) -> None:
        number = os.geteuid()
        self.account = account_name(number) if number != 0 else ""

    def run(self, script: bytes) -> Ran:
        """Run a script with /bin/sh."""
        command = COMMAND if os.geteuid() == 0 else AS_ROOT
        try:
            code, out, complained = _run_here(command, script)
        except TimeoutError as error:
            raise HostUnreachableError(f"this host gave no answer within {_LONGEST_WAIT} seconds") from error
        except OSError as error:
            raise HostUnreachableError(f"{command[0]} cannot be run here: {error.strerror}") from error
        said = complained.decode("utf-8", "replace").strip()
        refusal = refusal_of_sudo(code, said) if command is AS_ROOT else ""
        if refusal:
            raise HostRefusedError(
                f"sudo refuses: {refusal}", "Let this account run /bin/sh as root without a password"
            )
        # A signal comes as a negative number; a shell tells it as 128 and the signal.
        return Ran(code if code >= 0 else 128 - code, out, without_warnings(said))


def _run_here(command: Sequence[str], script: bytes) -> tuple[int, bytes, bytes]:
    """Run a command with a script on its input; `TimeoutError` for one that does not end."""
    late = Event()
    with Popen(command, stdin=PIPE, stdout=PIPE, stderr=PIPE) as process, ThreadPoolExecutor(2) as readers:
        given, printed, complained = process.stdin, process.stdout, process.stderr
        if given is None or printed is None or complained is None:
            raise OSError("no pipes")

        def stop() -> None:
            late.set()
            process.kill()

        timer = Timer(_LONGEST_WAIT, stop)
        timer.start()
        try:
            out = readers.submit(read_up_to, printed, LONGEST_ANSWER, process.kill)
            said = readers.submit(read_up_to, complained, LONGEST_COMPLAINT, process.kill)
            with suppress(BrokenPipeError):
                given.write(script)
                given.close()
            code, answer, complaint = process.wait(), out.result(), said.result()
        finally:
            timer.cancel()
    if late.is_set():
        raise TimeoutError
    return code, answer, complaint


class LocalHost:
    """One host: this one."""

    def __init__(self, names: Names, habits: Habits, name: str) -> None:
        self._names = names
        self._habits = habits
        self._name = name or gethostname().partition(".")[0]

    @contextmanager
    def session(self, host: Host) -> Iterator[LinuxSession]:
        """Open a session with this host; `HostUnknownError` for any other."""
        if host.name.casefold() != self._name.casefold():
            raise HostUnknownError(f"this host is {self._name}, and not {host.name}")
        yield LinuxSession(LocalShell(), self._names, self._habits)

    def steps(self, host: Host) -> Iterator[Step]:
        """Say whether this is the host, and whether it may be changed."""
        if host.name.casefold() != self._name.casefold():
            yield Step("name", trouble=f"this host is {self._name}, and not {host.name}")
            return
        yield Step("name", f"this host is {self._name}")
        ran = LocalShell().run(b"id -un")
        yield Step("right to change", f"runs as {ran.out.decode('utf-8', 'replace').strip()}", ran.said)

    def close(self) -> None:
        """Nothing is kept open."""
