"""The table of formats: one renderer each."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any, Final

from adzeguard.core.values import dataclass
from adzeguard.core.views.page import View


@dataclass(frozen=True, slots=True)
class Renderer:
    """One format; `takes_pages` if it can show more than one table.

    `by` is what turns a view into bytes: a function, or the name of a module that has it as `render(view)` and is
    imported when it is asked for, as what needs a library must be.
    """

    by: str | Callable[..., bytes]
    takes_pages: bool = True
    of_reports_alone: bool = False
    """Whether only papers are made in it, by `report`."""
    of_files_alone: bool = False
    """Whether it is nothing for a terminal."""
    with_pictures: bool = False
    for_people: bool = True


RENDERERS: Final[Mapping[str, Renderer]] = {
    "table": Renderer("adzeguard.report.terminal"),
    "json": Renderer("adzeguard.report.json_form", for_people=False),
    "jsonl": Renderer("adzeguard.report.jsonl_form", takes_pages=False, for_people=False),
    "csv": Renderer("adzeguard.report.csv_form", takes_pages=False, for_people=False),
    "markdown": Renderer("adzeguard.report.markdown"),
    "xlsx": Renderer("adzeguard.report.sheets", of_reports_alone=True, of_files_alone=True),
    "html": Renderer("adzeguard.report.web_page", of_reports_alone=True, with_pictures=True),
    "pdf": Renderer("adzeguard.report.paper", of_reports_alone=True, of_files_alone=True, with_pictures=True),
}
"""The formats by what people call them. "table" is for people, and knows colours too. A further one is a row here."""


def formats() -> list[str]:
    """Return the formats in which everything that is one table can be had."""
    return [name for name, renderer in RENDERERS.items() if not renderer.of_reports_alone]


def formats_of_pages() -> list[str]:
    """Return the formats in which a page can be had."""
    return [name for name in formats() if RENDERERS[name].takes_pages]


def render(view: View, form: str, *, colour: bool = False, width: int = 0) -> bytes:
    """Return a view in a format; `width` is that of the terminal, where it is shown on one."""
    by = RENDERERS[form].by
    call = import_module(by).render if isinstance(by, str) else by
    more: dict[str, Any] = {"colour": colour} if form == "table" else {}
    more |= {"width": width} if form == "table" and width else {}
    rendered: bytes = call(view, **more)
    return rendered
