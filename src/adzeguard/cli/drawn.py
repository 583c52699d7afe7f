"""What adzeguard history --drawn and --picture make: who was inside a group when."""

from pathlib import Path

from adzeguard.cli.output import say
from adzeguard.core.errors import UsageError
from adzeguard.core.views.timeline import Timeline

_FORMS = (".png", ".svg", ".pdf")


def refuse_other_forms(picture: Path) -> None:
    """Refuse to draw into a file of no form that is known, before anything is read."""
    if picture.suffix.casefold() not in _FORMS:
        raise UsageError(f"{picture} cannot be drawn", f"Name a file that ends in {', '.join(_FORMS)}")


def draw_into(picture: Path, line: Timeline) -> None:
    """Draw a timeline into a file, and say so."""
    try:
        from adzeguard.report.timeline_picture import MOST_PEOPLE, draw
    except ModuleNotFoundError as error:
        raise UsageError("drawing needs an extra package", "pip install 'adzeguard[figures]'") from error
    try:
        draw(line, picture)
    except OSError as error:
        raise UsageError(f"{picture} cannot be written: {error.strerror}", "Choose another file") from error
    left = len(line.people) - MOST_PEOPLE
    say(f"Drawn: {picture}{f', without {left} people for whom there is no room' if left > 0 else ''}")
