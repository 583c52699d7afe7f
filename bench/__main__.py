"""Runs the benchmarks and prints what was measured beside the bar."""

import json
import platform
import sys
from dataclasses import asdict, replace
from datetime import UTC, datetime
from pathlib import Path

from bench import (
    collection,
    commands,
    growth,
    in_memory,
    looks,
    owner_mail,
    real_hosts,
    rights,
    standin_hosts,
    start,
    stored,
    team,
    trail,
    wires,
)
from bench.measure import Measured, floor_of_imports

PARTS = {
    "commands": commands.run,
    "in-memory": in_memory.run,
    "rights": rights.run,
    "stored": stored.run,
    "team": team.run,
    "looks": looks.run,
    "start": start.run,
    "growth": growth.run,
    "hosts": standin_hosts.run,
    "real-hosts": real_hosts.run,
    "trail": trail.run,
    "collection": collection.run,
    "wires": wires.run,
    "owner-mail": owner_mail.run,
}


def main(names: list[str]) -> None:
    """Run the named parts, or all."""
    measured: list[Measured] = []
    for name in names or list(PARTS):
        floor = floor_of_imports()
        for measured_now in PARTS[name]():
            figure = replace(measured_now, floor=floor)
            print(figure.line(), flush=True)
            measured.append(figure)
    folder = Path("bench/results")
    folder.mkdir(parents=True, exist_ok=True)
    about = {"at": datetime.now(UTC).isoformat(), "python": platform.python_version(), "machine": platform.machine()}
    path = folder / "latest.json"
    path.write_text(json.dumps({**about, "figures": [asdict(figure) for figure in measured]}, indent=1) + "\n")
    print(f"Written to {path}")


if __name__ == "__main__":
    main(sys.argv[1:])
