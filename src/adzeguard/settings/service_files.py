"""Units of systemd by which rounds go on by themselves: systemd.service(5), systemd.timer(5), systemd.exec(5)."""

from pathlib import Path
from typing import Final

from adzeguard.core.errors import UsageError
from adzeguard.private_files import write_new

_ODD: Final = frozenset('"\\%$\n\r')
_HARDENED: Final = """NoNewPrivileges=yes
ProtectSystem=strict
ProtectHome=read-only
PrivateTmp=yes
PrivateDevices=yes
ProtectKernelTunables=yes
ProtectKernelModules=yes
ProtectKernelLogs=yes
ProtectControlGroups=yes
ProtectClock=yes
ProtectHostname=yes
RestrictSUIDSGID=yes
RestrictRealtime=yes
RestrictNamespaces=yes
LockPersonality=yes
MemoryDenyWriteExecute=yes
SystemCallArchitectures=native
RestrictAddressFamilies=AF_UNIX AF_INET AF_INET6
CapabilityBoundingSet=
UMask=0077
"""
_WATCH: Final = """[Unit]
Description=Rounds of Adzeguard in {workspace}
Wants=network-online.target
After=network-online.target

[Service]
ExecStart="{program}" round watch --workspace "{workspace}"
Restart=on-failure
RestartSec=60
TimeoutStopSec=10min
User={user}
ReadWritePaths="{workspace}"
{hardened}
[Install]
WantedBy=multi-user.target
"""
_ROUND: Final = """[Unit]
Description=One round of Adzeguard in {workspace}
Wants=network-online.target
After=network-online.target

[Service]
Type=oneshot
ExecStart="{program}" round --workspace "{workspace}" --format json
SuccessExitStatus=4
User={user}
ReadWritePaths="{workspace}"
{hardened}"""
_TIMER: Final = """[Unit]
Description=Rounds of Adzeguard in {workspace}, by the clock

[Timer]
OnCalendar=*:0/5
RandomizedDelaySec=30
Persistent=yes

[Install]
WantedBy=timers.target
"""
FILES: Final = {
    "adzeguard-watch.service": _WATCH,
    "adzeguard-round.service": _ROUND,
    "adzeguard-round.timer": _TIMER,
}


def write_service_files(folder: Path, program: str, workspace: Path, user: str) -> list[Path]:
    """Write the units into a folder and return them; what stands there already is left, and an error."""
    for value in (program, str(workspace), user):
        # Each of these means something of its own in a unit, and a path that needs them is better moved.
        if not value or set(value) & _ODD or not value.isprintable():
            raise UsageError(f"'{value}' cannot stand in a unit of systemd", "Use a plain path and name")
    written = []
    for name, text in FILES.items():
        path = folder / name
        try:
            folder.mkdir(parents=True, exist_ok=True)
            write_new(path, text.format(program=program, workspace=workspace, user=user, hardened=_HARDENED))
        except FileExistsError as error:
            raise UsageError(f"{path} is there already", "Take it away first, or name another folder") from error
        except OSError as error:
            raise UsageError(f"{path} cannot be written: {error.strerror}") from error
        written.append(path)
    return written
