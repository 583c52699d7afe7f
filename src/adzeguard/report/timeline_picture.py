"""Draws who was inside a group when."""

import io
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from matplotlib.axes import Axes
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter, date2num
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Patch

from adzeguard.core.views.timeline import Inside, Timeline
from adzeguard.private_files import write_result
from adzeguard.report.safe import for_terminal

MOST_PEOPLE: Final = 60
"""What fits on a picture that people can read."""
_SEA, _SAND, _RUST, _PAPER, _LINE, _SILENT = "#2f6f8f", "#c98a2b", "#a4452c", "#fbfaf7", "#c9c5bb", "#e4e0d6"
_HEIGHT: Final = 0.62
_LEAST: Final = 0.004
"""The part of the whole time below which a stretch could not be seen: it is drawn so long."""
_LONGEST: Final = 26


def draw(line: Timeline, path: Path) -> None:
    """Write the picture; the file is for its owner alone."""
    rows = list(line.people.items())[:MOST_PEOPLE]
    figure = Figure(figsize=(11.6, max(1.9 + 0.42 * len(rows), 3.4)), facecolor=_PAPER, layout="constrained")
    axes = figure.add_subplot()
    axes.set_facecolor(_PAPER)
    begin, end = _number(line.since), _number(line.until)
    for gap in line.gaps:
        axes.axvspan(_number(gap.begin), _number(gap.end), color=_SILENT, zorder=0)
    for row, (name, stretches) in enumerate(rows):
        for one in stretches:
            _stretch(axes, row, one, begin, end)
        for mark in line.marks:
            if mark.member == name:
                axes.plot(
                    _number(mark.at), row, marker="D", markersize=7, color=_RUST, markeredgecolor=_PAPER, zorder=4
                )
    axes.set_ylim(len(rows) - 0.4, -0.6)
    axes.set_xlim(begin, end)
    axes.set_yticks(range(len(rows)), [_short(for_terminal(name)) for name, _ in rows], fontsize=10)
    zone = line.until.astimezone().tzinfo
    locator = AutoDateLocator(tz=zone)  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_locator(locator)
    axes.xaxis.set_major_formatter(ConciseDateFormatter(locator, tz=zone))  # type: ignore[no-untyped-call]
    axes.grid(axis="x", color=_LINE, linewidth=0.7)
    axes.set_axisbelow(True)
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.set_title(f"Who was inside {for_terminal(line.group)}, and by whom", fontsize=13, loc="left", pad=12)
    signs = [
        Patch(facecolor=_SEA, label="inside"),
        Patch(facecolor=_SAND, hatch="//", edgecolor=_PAPER, label="by a lease"),
        Patch(facecolor=_SILENT, label="nothing was logged"),
        Line2D([], [], marker="D", linestyle="", color=_RUST, label="asked or decided"),
    ]
    figure.legend(handles=signs, loc="outside lower left", ncols=4, frameon=False, fontsize=10)
    drawn = io.BytesIO()
    figure.savefig(drawn, format=path.suffix.casefold()[1:], dpi=110)
    write_result(path, drawn.getvalue())


def _stretch(axes: Axes, row: int, one: Inside, begin: float, end: float) -> None:
    """Draw one stretch, and who began it where there is room, or it is what one looks for."""
    start = max(_number(one.begin), begin) if one.begin is not None else begin
    stop = min(_number(one.end), end) if one.end is not None else end
    length = max(stop - start, (end - begin) * _LEAST)
    look: dict[str, Any] = (
        {"facecolor": _SAND, "hatch": "//", "edgecolor": _PAPER} if one.lease else {"facecolor": _SEA}
    )
    axes.broken_barh([(start, length)], (row - _HEIGHT / 2, _HEIGHT), zorder=2, **look)
    who = f"lease {one.lease}" if one.lease else (f"by {_short(for_terminal(one.by))}" if one.by else "")
    if not who:
        return
    inside = length > (end - begin) * 0.25
    left = not inside and start > begin + (end - begin) * 0.75
    at = start + (end - begin) * 0.006 if inside else (start if left else start + length)
    axes.annotate(
        who,
        (at, row),
        xytext=(0 if inside else (-5 if left else 5), 0),
        textcoords="offset points",
        va="center",
        ha="right" if left else "left",
        fontsize=9,
        color="white" if inside and not one.lease else "#333",
        zorder=3,
    )


def _number(moment: datetime | None) -> float:
    return float(date2num(moment)) if moment is not None else 0.0  # type: ignore[no-untyped-call]


def _short(name: str) -> str:
    name = name.rpartition("\\")[2]
    return name if len(name) <= _LONGEST else f"{name[: _LONGEST - 1]}…"
