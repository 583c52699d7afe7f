"""The table of formats: one renderer each, imported when it is asked for."""

from collections.abc import Mapping
from dataclasses import dataclass
from importlib import import_module
from typing import Any, Final

from adzeguard.core.views.page import View


@dataclass(frozen=True, slots=True)
class Renderer:
    """One format. `module` has `render(view)`, which gives bytes; `takes_pages` if it can show more than one table."""

    module: str
    takes_pages: bool = True


RENDERERS: Final[Mapping[str, Renderer]] = {
    "table": Renderer("adzeguard.report.terminal"),
    "json": Renderer("adzeguard.report.json_form"),
    "jsonl": Renderer("adzeguard.report.jsonl_form", takes_pages=False),
    "csv": Renderer("adzeguard.report.csv_form", takes_pages=False),
}
PAPERS: Final[Mapping[str, Renderer]] = {
    "xlsx": Renderer("adzeguard.report.sheets"),
    "html": Renderer("adzeguard.report.web_page"),
    "pdf": Renderer("adzeguard.report.paper"),
}
"""Those of reports alone."""

"""The formats by what people call them. "table" is for people, and knows colours too."""


def formats_of_pages() -> list[str]:
    """Return the formats in which a page can be had."""
    return [name for name, renderer in RENDERERS.items() if renderer.takes_pages]


def render(view: View, form: str, *, colour: bool = False, width: int = 0) -> bytes:
    """Return a view in a format; `width` is that of the terminal, where it is shown on one."""
    module = import_module((RENDERERS.get(form) or PAPERS[form]).module)
    more: dict[str, Any] = {"colour": colour} if form == "table" else {}
    more |= {"width": width} if form == "table" and width else {}
    rendered: bytes = module.render(view, **more)
    return rendered
