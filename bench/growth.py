"""How the time of whole commands grows with rules, findings, grants and leases; estates of size T."""

import math
import sys
import tempfile
from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.assembly import Assembled
from adzeguard.core.time.lease import Lease
from adzeguard.directory.schema import first_entries
from adzeguard.store.leases import Leases
from adzeguard.store.plain_rows import write_rows
from bench.large import DOMAIN, T, make
from bench.looks import megabytes_and_cpu
from bench.measure import IDLE_FLOOR, Measured, floor_of_imports
from bench.stored import store_of, write_estate

_MOST_GROWTH = 1.0
_ENTRIES = 10
"""Grants over one object."""


def run() -> Iterator[Measured]:
    """Measure each at three sizes: seconds at the largest, and the power of the size to which they grow."""
    yield from _grown("rules, forty findings each", (10, 100, 1000), _with_rules, ("check", "--format", "csv"))
    yield from _grown("grants", (1000, 10_000, 100_000), _with_grants, ("grant", "list", "--format", "csv"))
    yield from _grown("grants", (1000, 10_000, 100_000), _with_grants, ("check", "--format", "csv"))
    yield from _grown("leases", (100, 1000, 10_000), _with_leases, ("check", "--format", "csv"))
    yield from _grown("leases", (100, 1000, 10_000), _with_leases, ("lease", "list", "--format", "csv"))


def _grown(
    what: str, sizes: Sequence[int], made: Callable[[Path, int], None], command: Sequence[str]
) -> Iterator[Measured]:
    beside = []
    for size in sizes:
        with tempfile.TemporaryDirectory() as temporary:
            folder = Path(temporary) / "t"
            made(folder, size)
            run_it = (sys.executable, "-m", "adzeguard", *command)
            floor = floor_of_imports()
            beside.append(min(megabytes_and_cpu(run_it, folder)[1] for _ in range(2)) / floor - 1)
    # By the last step alone: with few of them all that is measured is the start of the program.
    power = math.log(beside[-1] / beside[-2]) / math.log(sizes[-1] / sizes[-2])
    named = " ".join(word for word in command if not word.startswith("-") and word != "csv")
    told = f"{named} with {sizes[-1]:,} {what}"
    yield Measured(f"growth: {told}", "T", (beside[-1] + 1) * IDLE_FLOOR, "s", math.inf)
    yield Measured(f"growth: {told}, to the power of their number", "T", power, "", _MOST_GROWTH)


def _with_rules(folder: Path, count: int) -> None:
    rules = (
        f"  - {{id: group-{n}, group: 'LOWMERE\\group.{n:06}', only: ['LOWMERE\\person.0000001']}}\n"
        for n in range(1, count + 1)
    )
    write_estate(folder, T, rules=f"charter: 1\nrules:\n{''.join(rules)}")


def _with_grants(folder: Path, count: int) -> None:
    write_estate(folder, T, whole=_granted(make(T), count // _ENTRIES))


def _granted(whole: Assembled, count: int) -> Assembled:
    """Give over the first people, one after the other, a right of its own to each of ten others."""
    rows, owner = whole.objects.descriptors_of.copy(), DOMAIN.account(512)
    found = []
    for n in range(count):
        rights = (
            Ace(AceKind.ALLOW, 0, int(Right.WRITE_PROPERTY), DOMAIN.account(1100 + (n * _ENTRIES + i) % T.people))
            for i in range(_ENTRIES)
        )
        entries = [*first_entries(["user"], DOMAIN.sid), *rights]
        found.append(Descriptor(owner, owner, None).with_entries(entries).to_bytes())
        rows[n] = len(whole.objects.descriptor_bytes) + n
    objects = replace(
        whole.objects,
        descriptors_of=rows.astype(np.int32),
        descriptor_bytes=(*whole.objects.descriptor_bytes, *found),
    )
    return replace(whole, objects=objects)


def _with_leases(folder: Path, count: int) -> None:
    write_estate(folder, T)
    now = datetime.now(UTC)
    leases = [
        Lease(
            id=f"L{n:07}",
            member=rf"LOWMERE\person.{n % T.people:07}",
            member_sid=DOMAIN.account(1100 + n % T.people),
            group=rf"LOWMERE\group.{n % T.groups:06}",
            group_sid=DOMAIN.account(1100 + T.people + n % T.groups),
            host="",
            begun=now - timedelta(days=1),
            until=now + timedelta(days=1),
            by="bench",
        )
        for n in range(count)
    ]
    with store_of(folder).writing() as connection:
        write_rows(connection, Leases.table, leases)
