"""What a workspace needs of its user: somebody to tell things to, and somebody who knows the passwords."""

from collections.abc import Callable

from adzeguard.core.values import dataclass


def _quietly(_text: str) -> None:
    return


def _nobody(_question: str) -> str | None:
    return None


@dataclass(frozen=True, slots=True)
class Frontend:
    """How a workspace speaks. The default says nothing and knows no password, as suits a program."""

    say: Callable[[str], None] = _quietly
    """Takes one line that is worth knowing beside the answer."""
    ask_secret: Callable[[str], str | None] = _nobody
    """Takes a question and returns a password, or None where nobody can be asked."""


SILENT = Frontend()
