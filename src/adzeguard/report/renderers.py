"""The table of formats: one renderer each, imported when it is asked for."""

from collections.abc import Mapping
from importlib import import_module
from typing import Final

from adzeguard.core.views.page import View

RENDERERS: Final[Mapping[str, str]] = {
    "table": "adzeguard.report.terminal",
    "json": "adzeguard.report.json_form",
    "csv": "adzeguard.report.csv_form",
}
"""Each module has `render(view)`, which gives bytes. "table" is for people, and knows colours too."""


def render(view: View, form: str, *, colour: bool = False) -> bytes:
    """Return a view in a format."""
    module = import_module(RENDERERS[form])
    more = {"colour": colour} if form == "table" else {}
    rendered: bytes = module.render(view, **more)
    return rendered
