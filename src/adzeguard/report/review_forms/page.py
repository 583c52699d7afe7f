"""A review as one page that needs nothing from outside and saves its answers to a file."""

import json
from functools import cache
from pathlib import Path
from typing import Any, Final

from jinja2 import Environment, PackageLoader, StrictUndefined, Template

from adzeguard.core.cleaning.reviewed import ANSWERS, Returned, Review
from adzeguard.core.errors import InputError
from adzeguard.report.review_forms.forms import ANSWERED, COLUMNS, MOST_BYTES, row_of
from adzeguard.report.safe import for_terminal
from adzeguard.report.web_page import content_hash

_SHOWN: Final = tuple(column for column in COLUMNS if column not in ANSWERED and column != "item")


def write(review: Review) -> bytes:
    """Return the page; it runs the one script that stands in it, and no other."""
    rows = [{key: for_terminal(value) for key, value in row_of(review, n).items()} for n in range(len(review.items))]
    script, style = (_part(name) for name in ("review.js", "review.css"))
    text = _template().render(
        review=review,
        owner=for_terminal(review.owner),
        columns=_SHOWN,
        rows=rows,
        answers=ANSWERS,
        script=script,
        style=style,
        script_hash=content_hash(script),
        style_hash=content_hash(style),
    )
    return text.encode()


@cache
def _environment() -> Environment:
    loader = PackageLoader("adzeguard.report.review_forms", "templates")
    return Environment(loader=loader, autoescape=True, undefined=StrictUndefined, trim_blocks=True, lstrip_blocks=True)


def _template() -> Template:
    return _environment().get_template("review.html")


def _part(name: str) -> str:
    loader = _environment().loader
    if loader is None:
        raise LookupError(name)
    return loader.get_source(_environment(), name)[0]


def read(path: Path) -> Returned:
    """Return the answers that the page has saved, and what else stood in its rows, to be held against ours."""
    content = _saved(path)
    rows = content.get("rows") if isinstance(content, dict) else None
    if not isinstance(rows, list) or not all(map(_is_row, rows)) or not isinstance(content.get("review"), str):
        raise InputError(f"{path} is no answer to a review")
    return Returned(content["review"], rows, [f"{path}, item {number}" for number in range(1, len(rows) + 1)])


def _is_row(row: Any) -> bool:
    return isinstance(row, dict) and all(isinstance(value, str) for value in row.values())


def _saved(path: Path) -> Any:
    try:
        if path.stat().st_size <= MOST_BYTES:
            return json.loads(path.read_bytes())
    except (OSError, ValueError, RecursionError) as error:
        raise InputError(f"{path} is no JSON: {error}") from error
    raise InputError(f"{path} is larger than {MOST_BYTES // 1024 // 1024} MiB")
