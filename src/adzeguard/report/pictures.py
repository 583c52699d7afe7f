"""Draws what pictures show. Colours are told apart by everybody, and never say a thing alone."""

import io
from collections.abc import Mapping, Sequence
from datetime import datetime
from pathlib import Path
from typing import Final

from matplotlib import rcParams
from matplotlib.axes import Axes
from matplotlib.colors import to_rgb
from matplotlib.dates import AutoDateLocator, ConciseDateFormatter, date2num
from matplotlib.figure import Figure
from matplotlib.lines import Line2D
from matplotlib.patches import Rectangle
from matplotlib.ticker import MaxNLocator

from adzeguard.core.estate.principal import Kind
from adzeguard.core.identity import leaf_name
from adzeguard.core.views.pictures import Arrow, Drawing, Places
from adzeguard.private_files import write_result
from adzeguard.report.safe import for_terminal

_SEA, _SAND, _RUST, _PAPER, _LINE, _INK = "#2f6f8f", "#c98a2b", "#a4452c", "#fbfaf7", "#c9c5bb", "#24292e"
_COLOURS: Final = ("#2f6f8f", "#c98a2b", "#a4452c", "#6b6f2a", "#5b4a8a", "#8a8f98", "#1d9a8a", "#7a3b5c", "#3c5a2a")
_STYLES: Final = ("-", "--", ":", "-.")
_MARKS: Final = "osD^vPX*h"
_LONGEST: Final = 30
_INCHES: Final = (11.6, 7.3)
MOST_NODES: Final = 400
_HOST: Final = Kind.COMPUTER.label


def _figure(title: str, height: float = _INCHES[1], width: float = _INCHES[0]) -> tuple[Figure, Axes]:
    figure = Figure(figsize=(width, height), facecolor=_PAPER, layout="constrained")
    axes = figure.add_subplot()
    axes.set_facecolor(_PAPER)
    axes.set_title(for_terminal(title), fontsize=13, loc="left", pad=12)
    for side in axes.spines.values():
        side.set_visible(False)
    axes.tick_params(length=0)
    return figure, axes


def _save(figure: Figure, path: Path | io.BytesIO) -> None:
    """Write it; the file is for its owner alone, and holds no moment, so that the same input gives the same bytes."""
    form = path.suffix.casefold()[1:] if isinstance(path, Path) else "png"
    rcParams["svg.hashsalt"] = "adzeguard"
    metadata = {"svg": {"Date": None}, "png": {"Software": None}, "pdf": {"CreationDate": None}}[form]
    if not isinstance(path, Path):
        figure.savefig(path, format=form, dpi=110, metadata=metadata)
        return
    drawn = io.BytesIO()
    figure.savefig(drawn, format=form, dpi=110, metadata=metadata)
    write_result(path, drawn.getvalue())


def headcount(counts: Mapping[str, Sequence[tuple[datetime, int]]], path: Path | io.BytesIO) -> None:
    """Draw how many accounts were inside privileged groups over time, as steps."""
    figure, axes = _figure("Accounts inside privileged groups")
    for number, (group, points) in enumerate(counts.items()):
        times = [date2num(at) for at, _ in points]  # type: ignore[no-untyped-call]
        axes.step(
            times,
            [count for _, count in points],
            where="post",
            color=_COLOURS[number % len(_COLOURS)],
            linestyle=_STYLES[number % len(_STYLES)],
            marker=_MARKS[number % len(_MARKS)],
            markersize=6,
            label=_short(group),
        )
    locator = AutoDateLocator()  # type: ignore[no-untyped-call]
    axes.xaxis.set_major_locator(locator)
    axes.xaxis.set_major_formatter(ConciseDateFormatter(locator))  # type: ignore[no-untyped-call]
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.set_ylim(bottom=0)
    axes.set_ylabel("accounts inside, by any nesting")
    axes.set_xlabel("collected (UTC)")
    axes.grid(color=_LINE, linewidth=0.7)
    figure.legend(loc="outside lower left", ncols=3, frameon=False, fontsize=9)
    _save(figure, path)


def findings(weeks: Mapping[str, Mapping[str, int]], path: Path) -> None:
    """Draw how many findings the last check of each week had, by severity."""
    figure, axes = _figure("Findings at the end of each week")
    labels = list(weeks)
    bottoms = [0] * len(labels)
    for severity, colour, hatch in (
        ("critical", _RUST, "xx"),
        ("high", "#c4683a", "//"),
        ("medium", _SAND, ".."),
        ("low", _SEA, ""),
        ("note", "#b9c4c9", ""),
    ):
        values = [weeks[week].get(severity, 0) for week in labels]
        axes.bar(labels, values, bottom=bottoms, color=colour, hatch=hatch, edgecolor=_PAPER, width=0.6, label=severity)
        bottoms = [bottom + value for bottom, value in zip(bottoms, values, strict=True)]
    for place, total in enumerate(bottoms):
        axes.text(place, total, f" {total}", ha="center", va="bottom", fontsize=9, color=_INK)
    axes.set_ylabel("findings")
    axes.set_xlabel("week")
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.set_xlim(-0.8, max(len(labels) - 0.2, 5.2))
    axes.grid(axis="y", color=_LINE, linewidth=0.7)
    axes.set_axisbelow(True)
    figure.legend(loc="outside lower left", ncols=5, frameon=False, fontsize=9)
    _save(figure, path)


def ages(counts: Mapping[str, tuple[int, int]], path: Path | io.BytesIO) -> None:
    """Draw how long ago accounts were used last, disabled ones beside enabled ones."""
    figure, axes = _figure("How long ago accounts were used last")
    labels = list(counts)
    for number, (name, colour, hatch) in enumerate((("enabled", _SEA, ""), ("disabled", _SAND, "//"))):
        values = [counts[label][number] for label in labels]
        places = [place + (number - 0.5) * 0.38 for place in range(len(labels))]
        axes.bar(places, values, width=0.36, color=colour, hatch=hatch, edgecolor=_PAPER, label=name)
        for place, value in zip(places, values, strict=True):
            axes.text(place, value, str(value), ha="center", va="bottom", fontsize=9, color=_INK)
    axes.set_xticks(range(len(labels)), labels)
    axes.set_ylabel("accounts")
    axes.set_xlabel("since the last logon, by the stamp that may be 14 days late")
    axes.grid(axis="y", color=_LINE, linewidth=0.7)
    axes.set_axisbelow(True)
    figure.legend(loc="outside lower left", ncols=2, frameon=False, fontsize=9)
    _save(figure, path)


def places(found: Places, path: Path | io.BytesIO) -> None:
    """Draw who administers how many of the hosts of each place; the darker, the greater a part."""
    height = max(3.0, 1.6 + 0.24 * len(found.people))
    figure, axes = _figure(f"The {len(found.people)} people who administer most hosts, by where these lie", height)
    axes.xaxis.tick_top()
    for row, person in enumerate(found.people):
        for column, place in enumerate(found.places):
            count = found.counts.get((person, place), 0)
            part = count / found.hosts[place]
            axes.add_patch(_cell(column, row, part))
            if count:
                colour = "white" if part > 0.45 else _INK  # noqa: PLR2004 - from where white is read better
                axes.text(
                    column, row, f"{count} of {found.hosts[place]}", ha="center", va="center", fontsize=8, color=colour
                )
    axes.set_xlim(-0.5, max(len(found.places), 1) - 0.5)
    axes.set_ylim(max(len(found.people), 1) - 0.5, -0.5)
    axes.set_xticks(range(len(found.places)), [_leaf(place) for place in found.places], fontsize=9)
    axes.set_yticks(range(len(found.people)), [_short(person) for person in found.people], fontsize=9)
    _save(figure, path)


def _cell(column: int, row: int, part: float) -> Rectangle:
    paper, sea = to_rgb("#f1eee6"), to_rgb(_SEA)
    strength = 0.15 + 0.85 * part if part else 0.0
    colour = tuple(p + (s - p) * strength for p, s in zip(paper, sea, strict=True))
    return Rectangle((column - 0.48, row - 0.44), 0.96, 0.88, facecolor=colour, edgecolor="none")


def drawing(what: Drawing, path: Path) -> None:
    """Draw what leads to what, from left to right; what stands in focus is drawn strongly, and all else lightly."""
    at = _laid_out(what)
    columns = max((x for x, _ in at.values()), default=0) + 1
    rows = max((sum(1 for x, _ in at.values() if x == column) for column in range(columns)), default=1)
    figure, axes = _figure(what.title, max(4.0, 1.6 + 0.26 * rows), max(_INCHES[0], 2.9 * columns))
    has_focus = any(arrow.focus for arrow in what.arrows)
    size = 9 if rows <= 30 else 7  # noqa: PLR2004 - what fits between two lines
    half = {node.key: len(_short(node.label)) * size * 0.3 + 8 for node in what.nodes}
    for arrow in what.arrows:
        _arrow(axes, arrow, at, half, faint=has_focus and not arrow.focus)
    for node in what.nodes:
        x, y = at[node.key]
        strong = node.focus or node.key == what.root
        colour = _SEA if node.kind == "group" else _SAND if node.kind == "user" else "#6b6f2a"
        box = {
            "boxstyle": "square,pad=0.3" if node.kind == _HOST else "round,pad=0.28",
            "facecolor": colour if strong else _PAPER,
            "edgecolor": colour,
            "linewidth": 1.1,
        }
        ink = "white" if strong else _INK
        axes.text(x, y, _short(node.label), ha="center", va="center", fontsize=size, color=ink, bbox=box, zorder=3)
    axes.set_xlim(-0.6, columns - 0.4)
    axes.set_ylim(rows / 2 + 0.6, -rows / 2 - 0.6)
    axes.set_xticks([])
    axes.set_yticks([])
    signs = [Line2D([], [], color=_SEA, label="is a member of")]
    if any(arrow.by_right for arrow in what.arrows):
        signs.append(Line2D([], [], color=_SAND, linestyle="--", label="could take over, by a right"))
    if any(arrow.by_logon for arrow in what.arrows):
        signs.append(Line2D([], [], color=_INK, linestyle=":", label="saw a logon of (hosts are square)"))
    if has_focus:
        signs.append(Line2D([], [], color=_RUST, linewidth=2.2, label="the way in"))
    if any(arrow.cut for arrow in what.arrows):
        signs.append(Line2D([], [], color=_RUST, linewidth=2.5, marker="x", markersize=9, label="the smallest cut"))
    figure.legend(handles=signs, loc="outside lower left", ncols=3, frameon=False, fontsize=9)
    _save(figure, path)


def _arrow(
    axes: Axes, arrow: Arrow, at: Mapping[str, tuple[int, float]], half: Mapping[str, float], *, faint: bool
) -> None:
    """Draw from the edge of one box to that of the other: `half` is how wide half of each is, in points."""
    colour = _RUST if arrow.cut or arrow.focus else _SAND if arrow.by_right else _INK if arrow.by_logon else _SEA
    (x1, y1), (x2, y2) = at[arrow.begin], at[arrow.end]
    style = {
        "arrowstyle": "-|>",
        "color": colour,
        "linestyle": "--" if arrow.by_right else ":" if arrow.by_logon else "-",
        "linewidth": 2.2 if arrow.cut or arrow.focus else 0.9,
        "alpha": 0.25 if faint else 0.9,
        "shrinkA": half[arrow.begin],
        "shrinkB": half[arrow.end],
        "connectionstyle": "arc3,rad=0.25" if x1 >= x2 else "arc3",
    }
    axes.annotate("", xy=(x2, y2), xytext=(x1, y1), arrowprops=style, zorder=2 if arrow.focus or arrow.cut else 1)
    if arrow.cut:
        axes.plot((x1 + x2) / 2, (y1 + y2) / 2, marker="x", color=_RUST, markersize=11, markeredgewidth=2.5, zorder=4)


def _laid_out(what: Drawing) -> dict[str, tuple[int, float]]:
    """Return where each node stands: its column by how far it is from the root, its row near those that it leads to."""
    leads: dict[str, list[str]] = {}
    for arrow in what.arrows:
        leads.setdefault(arrow.end, []).append(arrow.begin)
    far = {what.root: 0}
    waiting = [what.root]
    for key in waiting:
        for other in leads.get(key, ()):
            if other not in far:
                far[other] = far[key] + 1
                waiting.append(other)
    last = max(far.values(), default=0)
    columns: dict[int, list[str]] = {}
    for node in what.nodes:
        columns.setdefault(last - far.get(node.key, last), []).append(node.key)
    rows: dict[str, float] = {}
    onward: dict[str, list[str]] = {}
    for arrow in what.arrows:
        onward.setdefault(arrow.begin, []).append(arrow.end)
    for column in sorted(columns, reverse=True):
        keys = columns[column]
        keys.sort(key=lambda key: (_mean([rows[o] for o in onward.get(key, ()) if o in rows]), key))
        for place, key in enumerate(keys):
            rows[key] = place - (len(keys) - 1) / 2
    return {key: (column, rows[key]) for column, keys in columns.items() for key in keys}


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values) if values else 0.0


def _leaf(place: str) -> str:
    """The name of an OU without what it lies in."""
    return _short(leaf_name(place) or place)


def _short(text: str) -> str:
    clean = for_terminal(text)
    clean = clean.rpartition("\\")[2] or clean
    return clean if len(clean) <= _LONGEST else f"{clean[:16]}…{clean[-12:]}"
