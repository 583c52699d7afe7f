"""Progress of long work, on standard error and only where somebody watches."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from rich.progress import Progress

_drawn: "list[Progress]" = []
"""The bars of commands that run, drawn or not."""


@contextmanager
def progress_bar() -> Iterator[Callable[[str, int, int | None], None]]:
    """Yield a function that is told what is done; it draws bars on a terminal and nothing elsewhere."""
    if not sys.stderr.isatty():
        yield lambda _what, _done, _of: None
        return
    from rich.console import Console
    from rich.progress import (
        BarColumn,
        MofNCompleteColumn,
        Progress,
        ProgressColumn,
        Task,
        TaskID,
        TextColumn,
        TimeElapsedColumn,
    )
    from rich.text import Text

    class Rate(ProgressColumn):
        """How many a second, or a minute where they are few."""

        def render(self, task: Task) -> Text:
            """Say it."""
            speed = task.finished_speed or task.speed
            if not speed:
                return Text("")
            return Text(f"{speed:,.0f}/s" if speed >= 1 else f"{speed * 60:.0f}/min")

    class Left(ProgressColumn):
        """How long it will still take, if that is known: nothing at the beginning, at the end, or of an open number."""

        def render(self, task: Task) -> Text:
            """Say it."""
            left = task.time_remaining
            if task.finished or left is None or not task.completed:
                return Text("")
            return Text(f"{int(left) // 60}:{int(left) % 60:02} left")

    columns = (
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        Rate(),
        TimeElapsedColumn(),
        Left(),
    )
    bars = Progress(*columns, console=Console(stderr=True), transient=True)
    tasks: dict[str, TaskID] = {}

    def told(what: str, done: int, of: int | None) -> None:
        if what not in tasks:
            bars.start()
            tasks[what] = bars.add_task(what, total=of)
        bars.update(tasks[what], completed=done, total=of)

    _drawn.append(bars)
    try:
        yield told
    finally:
        _drawn.remove(bars)
        bars.stop()


@contextmanager
def paused() -> Iterator[None]:
    """Take the bars away while somebody is asked: drawn ten times a second, they would erase the question."""
    running = [bars for bars in _drawn if bars.live.is_started]
    for bars in running:
        bars.stop()
    try:
        yield
    finally:
        for bars in running:
            bars.start()
