"""Draws who holds what over which OU."""

import io
from collections.abc import Sequence
from pathlib import Path

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Patch

from adzeguard.core.views.rights import Matrix
from adzeguard.private_files import write_result
from adzeguard.report.safe import for_terminal

_INCHES_A_ROW, _INCHES_A_COLUMN = 0.55, 1.6
_LONGEST = 22
MOST_HOLDERS, MOST_PLACES = 40, 150
"""What fits on a picture that people can read."""
_SEA, _RUST, _PAPER, _LINE = "#2f6f8f", "#a4452c", "#fbfaf7", "#c9c5bb"


def draw(matrix: Matrix, path: Path) -> None:
    """Write the picture; the file is for its owner alone."""
    rows, columns = max(len(matrix.places), 1), max(len(matrix.holders), 1)
    lines = max((_lines(duties) for duties in matrix.cells.values()), default=1)
    width, height = 4.2 + columns * _INCHES_A_COLUMN, 2.2 + rows * max(_INCHES_A_ROW, 0.2 + 0.2 * lines)
    figure = Figure(figsize=(max(width, 8), max(height, 4)), facecolor=_PAPER, layout="constrained")
    axes = figure.add_subplot()
    axes.set_facecolor(_PAPER)
    axes.set_xlim(-0.5, columns - 0.5)
    axes.set_ylim(rows - 0.5, -0.5)
    axes.set_xticks(range(len(matrix.holders)), [_label(matrix, holder) for holder in matrix.holders], fontsize=9)
    axes.set_yticks(range(len(matrix.places)), [for_terminal(place) for place in matrix.places], fontsize=9)
    axes.xaxis.tick_top()
    axes.tick_params(length=0)
    for side in axes.spines.values():
        side.set_visible(False)
    for line in range(columns + 1):
        axes.axvline(line - 0.5, color=_LINE, linewidth=0.8, zorder=0, clip_on=False)
    for line in range(rows + 1):
        axes.axhline(line - 0.5, color=_LINE, linewidth=0.8, zorder=0, clip_on=False)
    for (place, holder), duties in matrix.cells.items():
        y, x = matrix.places.index(place), matrix.holders.index(holder)
        _draw_cell(axes, x, y, duties)
    # Not by colour alone: a denial is also dashed around.
    signs = [
        Patch(facecolor=_SEA, label="may"),
        Patch(facecolor=_RUST, edgecolor="black", linestyle="--", label="may not, which wins"),
    ]
    figure.legend(handles=signs, loc="outside lower left", ncols=2, frameon=False, fontsize=9)
    axes.set_title("Who holds what, and over which part of the directory", fontsize=12, pad=14)
    drawn = io.BytesIO()
    figure.savefig(drawn, format=path.suffix.casefold()[1:], dpi=110)
    write_result(path, drawn.getvalue())


def _lines(duties: Sequence[str]) -> int:
    """How many lines a cell has; two boxes need one more between them."""
    both = len({duty.startswith("not ") for duty in duties}) > 1
    return sum(_wrapped(duty).count("\n") + 1 for duty in duties) + both


def _draw_cell(axes: Axes, x: int, y: int, duties: Sequence[str]) -> None:
    """Draw what is given and what is denied as two boxes, one above the other, where a cell has both."""
    given = [duty for duty in duties if not duty.startswith("not ")]
    denied = [duty for duty in duties if duty.startswith("not ")]
    both = bool(given and denied)
    for listed, colour, up in ((given, _SEA, -1), (denied, _RUST, 1)):
        if listed:
            text = "\n".join(_wrapped(for_terminal(duty)) for duty in listed)
            edge = {"edgecolor": "black", "linestyle": "--"} if colour == _RUST else {"edgecolor": "none"}
            box = {"boxstyle": "round,pad=0.35", "facecolor": colour, **edge}
            axes.text(x, y + up * 0.24 * both, text, ha="center", va="center", fontsize=8, color="white", bbox=box)


def _label(matrix: Matrix, holder: str) -> str:
    """The name, a long SID shortened in its middle, and below it what it is where that is no group."""
    name = for_terminal(holder.rpartition("\\")[2])
    if name.startswith("S-1-") and len(name) > _LONGEST:
        name = f"{name[:8]}…-{name.rpartition('-')[2]}"
    kind = matrix.kinds.get(holder, "")
    return _wrapped(name) + (f"\n({kind})" if kind else "")


def _wrapped(text: str) -> str:
    """Break a long name between words."""
    lines, line = [], ""
    for word in text.split(" "):
        if line and len(line) + len(word) >= _LONGEST:
            lines.append(line)
            line = word
        else:
            line = f"{line} {word}".strip()
    return "\n".join([*lines, line])
