"""Stopping after the change in hand, when the operator asks for it."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from signal import SIGINT, SIGTERM, signal
from threading import Event


@contextmanager
def stopping(say: Callable[[str], None]) -> Iterator[Callable[[], bool]]:
    """Let Ctrl-C, or a signal to end, end the process after the change in hand; give what tells of it."""
    asked = Event()

    def ask(_signal: int, _frame: object) -> None:
        if not asked.is_set():
            say("Stopping after what is in hand")
        asked.set()

    before = {which: signal(which, ask) for which in (SIGINT, SIGTERM)}
    try:
        yield asked.is_set
    finally:
        for which, handler in before.items():
            signal(which, handler)
