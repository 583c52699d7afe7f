"""Which memberships are copied: by patterns, picked in the terminal, or from a reviewed file."""

import csv
import fnmatch
import io
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from adzeguard.cli.csv_files import read_rows
from adzeguard.cli.output import put, say
from adzeguard.core.errors import DeclinedError, InputError, UsageError

if TYPE_CHECKING:
    from adzeguard.core.access.peers import Candidate

_YES = frozenset({"yes", "y", "x", "true", "1"})
_COLUMNS = ("Group", "Power", "People", "Scope", "Description")


def by_patterns(
    candidates: "Sequence[Candidate]", only: tuple[str, ...], excepted: tuple[str, ...]
) -> "list[Candidate]":
    """Return the candidates whose names fit, without those that give power."""
    return [c for c in candidates if not c.power and _chosen(c, only, excepted)]


def tell_left_out(
    candidates: "Sequence[Candidate]", taken: set[int], only: tuple[str, ...], excepted: tuple[str, ...]
) -> None:
    """Name the groups that would be copied if they gave no power, and say how to copy them all the same."""
    for c in candidates:
        if c.power and c.group.id not in taken and _chosen(c, only, excepted):
            say(f"Left out: {c.group.qualified_name} {c.power}. To copy it too: --privileged '{c.group.name}'")


def _chosen(candidate: "Candidate", only: tuple[str, ...], excepted: tuple[str, ...]) -> bool:
    name = candidate.group.name
    return (not only or _fits(name, only)) and not _fits(name, excepted)


def _fits(name: str, patterns: tuple[str, ...]) -> bool:
    return any(fnmatch.fnmatchcase(name.casefold(), pattern.casefold()) for pattern in patterns)


def picked(candidates: "Sequence[Candidate]", title: str) -> "list[Candidate]":
    """Let somebody pick in the terminal. Nothing is taken beforehand: too much is given by taking all."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        raise UsageError("there is no terminal to pick on", "Use --only and --except, or --review FILE.csv")
    try:
        from adzeguard.report.picker import Picker
    except ModuleNotFoundError as error:
        raise UsageError("the picker needs an extra package", "pip install 'adzeguard[picker]'") from error
    taken = Picker(title, _COLUMNS, [_row(c) for c in candidates]).run()
    if taken is None:
        raise DeclinedError("nothing was done")
    return [candidates[at] for at in taken]


def _row(candidate: "Candidate") -> dict[str, str]:
    group = candidate.group
    texts = (
        group.qualified_name,
        candidate.power,
        str(candidate.members),
        group.group_scope,
        str(group.details.get("description", "")),
    )
    return dict(zip(_COLUMNS, texts, strict=True))


def write_review(path: Path, candidates: "Sequence[Candidate]") -> None:
    """Write the candidates to a file in which somebody says yes or no to each; those that give power begin with no."""
    from adzeguard.report.safe import for_csv

    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(["take", *(name.casefold() for name in _COLUMNS), "sid"])
    for c in candidates:
        cells = ["no" if c.power else "yes", *_row(c).values(), c.group.sid or c.group.dn]
        writer.writerow([for_csv(cell) for cell in cells])
    put(out.getvalue(), path)
    say(f"Say yes or no on each line, then run the same command again: {len(candidates)} groups in {path}")


def reviewed(path: Path, candidates: "Sequence[Candidate]") -> "list[Candidate]":
    """Return the candidates to which the file says yes; `InputError` for a file that is something else."""
    by_sid = {c.group.sid or c.group.dn: c for c in candidates}
    named_groups = []
    for line, row in read_rows(path, {"take", "sid"}, mebibytes=8, way_out="Let adzeguard write the file first"):
        if row["take"].strip().casefold() not in _YES:
            continue
        candidate = by_sid.get(row["sid"].strip())
        if candidate is None:
            raise InputError(
                f"{path}:{line}: '{row.get('group')}' is not among the memberships that can be copied",
                "Write the file again: give the name of a file that does not exist",
            )
        named_groups.append(candidate)
    return named_groups
