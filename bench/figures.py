"""Writes docs/figures.md from what the benchmarks measured last."""

import json
import math
import platform
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Final

from bench.large import K, L, Size, T
from bench.looks import RESULTS, Figures, exponent, looks
from bench.measure import IDLE_FLOOR

_PAGE: Final = Path("docs/figures.md")
_BEFORE: Final = Path("bench/before.json")
_BESIDE: Final = ("start: ", "look: ", "trail: ", "store: ", "team: ", "growth: ", "ways: ", "LDAP: ")
_OTHERS: Final = Path("bench/results/latest.json")


def main() -> None:
    """Write the page."""
    measured: dict[str, dict[str, Any]] = json.loads(RESULTS.read_text())
    before: dict[str, dict[str, float]] = json.loads(_BEFORE.read_text())
    lines = [*_heading(), *_head()]
    for look in looks(L):
        sizes = {size: Figures(**figures) for size, figures in measured[look.name].items()}
        large, was = sizes["L"], before.get(look.name)
        held = large.idle <= look.bar[0] and large.megabytes <= look.bar[1] and large.statements <= look.statements
        past = f"{was['cpu'] * IDLE_FLOOR / was['floor']:.2f} s, {was['megabytes']:.0f} MB" if was else ""
        cells = [
            f"`{look.name}`",
            past,
            *(f"{sizes[size].idle:.2f}" for size in "TKL"),
            f"{large.cpu / large.floor:.1f}",
            f"{large.megabytes:.0f}",
            f"{large.statements}",
            f"{exponent(sizes['K'], large):.2f}",
            f"{look.bar[0]} s, {look.bar[1]} MB",
            "held" if held else "missed",
        ]
        lines.append(f"| {' | '.join(cells)} |")
    lines += _others()
    _PAGE.write_text("\n".join(lines) + "\n")
    print(f"Written to {_PAGE}")


def _heading() -> list[str]:
    def size_of(size: Size) -> str:
        return (
            f"**{size.name}**: {size.people:,} people, {size.groups:,} groups, {size.links:,} links,"
            f" {size.hosts:,} hosts"
        )

    at = datetime.fromtimestamp(RESULTS.stat().st_mtime, UTC)
    return f"""# Figures

Made by `make bench` on {at:%Y-%m-%d}: Python {platform.python_version()}, {platform.machine()}, two cores. The next
`make bench` writes it anew.

Seconds are those of the processor on an idle core. Where the machine was slow or busy, what was measured is divided by
what a program that imports Click and NumPy took in the same minute, and taken {IDLE_FLOOR} times, as that takes on an
idle core. "Floors" is the ratio itself, at L: the median of five runs, each between two floors of its own. Every
command is the whole one, and what it says is put into a pipe. The estates have a kilobyte of attributes an object, and
five groups a host. "MB" is the peak, with the pages of the kept copy that are mapped. Of a team's store the whole time
counts, on one machine, and the server's is in it. Of three imports of a trail the best counts, as of its looks.

- **D**: the demo
- {size_of(T)}
- {size_of(K)}
- {size_of(L)}
- **M**, where a real directory server is asked: 10,000 people, 1,000 groups, 2,000 computers
""".split("\n")


def _head() -> list[str]:
    heads = ["Command", "Before, at L", "T", "K", "L", "Floors", "MB", "Statements", "Grows as size^", "Bar", ""]
    return [f"| {' | '.join(heads)} |", f"|{' --- |' * len(heads)}"]


def _others() -> list[str]:
    if not _OTHERS.exists():
        return []
    figures = json.loads(_OTHERS.read_text())["figures"]
    rows = [one for one in figures if one["what"].startswith(_BESIDE)]
    lines = ["", "Beside the commands:", "", "| What | At | Measured | Bar | |", "| --- | --- | --- | --- | --- |"]
    for one in rows:
        held = one["value"] >= one["bar"] if one["at_least"] else one["value"] <= one["bar"]
        sign, has_bar = "at least" if one["at_least"] else "at most", 0 < one["bar"] < math.inf
        told = f"{one['value']:,.{3 if one['value'] < 0.1 else 2}f} {one['unit']}"
        verdict = (f"{sign} {one['bar']:,g}", "held" if held else "missed") if has_bar else ("", "")
        cells = (one["what"], one["at"], told, *verdict)
        lines.append(f"| {' | '.join(cells)} |")
    return lines if rows else []


if __name__ == "__main__":
    main()
