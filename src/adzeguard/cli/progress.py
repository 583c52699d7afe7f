"""Progress of long work, on standard error and only where somebody watches."""

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager


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
        TimeRemainingColumn,
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

    columns = (
        TextColumn("{task.description}"),
        BarColumn(),
        MofNCompleteColumn(),
        Rate(),
        TimeElapsedColumn(),
        TextColumn("left"),
        TimeRemainingColumn(),
    )
    with Progress(*columns, console=Console(stderr=True), transient=True) as bars:
        tasks: dict[str, TaskID] = {}

        def told(what: str, done: int, of: int | None) -> None:
            if what not in tasks:
                tasks[what] = bars.add_task(what, total=of)
            bars.update(tasks[what], completed=done, total=of)

        yield told
