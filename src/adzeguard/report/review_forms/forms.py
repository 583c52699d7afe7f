"""The table of forms: what writes one, and what reads the answers in it."""

from collections.abc import Callable, Mapping
from importlib import import_module
from pathlib import Path
from types import ModuleType
from typing import Final

from adzeguard.core.cleaning.reviewed import Returned, Review
from adzeguard.core.errors import UsageError

COLUMNS: Final = ("item", "what", "where", "member", "kind", "through", "since", "by", "last used", "answer", "reason")
ANSWERED: Final = ("answer", "reason")
MOST_BYTES: Final = 64 * 1024 * 1024


Write = Callable[[Review], bytes]
Read = Callable[[Path], Returned]
FORMS: Final[Mapping[str, str]] = {
    "csv": "adzeguard.report.review_forms.csv_rows",
    "xlsx": "adzeguard.report.review_forms.workbook",
    "html": "adzeguard.report.review_forms.page",
}
"""By what people call them, which is the ending of their files; the page saves its answers as JSON."""
_ANSWER_FILES: Final = {".csv": "csv", ".xlsx": "xlsx", ".json": "html"}


def written(review: Review, form: str) -> bytes:
    """Return a review in a form."""
    write: Write = _module(form).write
    return write(review)


def read_back(path: Path) -> Returned:
    """Return what a file brings back, by its ending."""
    form = _ANSWER_FILES.get(path.suffix.casefold())
    if form is None:
        raise UsageError(f"'{path}' is no answer to a review", f"Such files end in {', '.join(_ANSWER_FILES)}")
    read: Read = _module(form).read
    return read(path)


def _module(form: str) -> ModuleType:
    try:
        return import_module(FORMS[form])
    except ModuleNotFoundError as error:
        raise UsageError("this form needs an extra package", "pip install 'adzeguard[reports]'") from error


def row_of(review: Review, number: int) -> dict[str, str]:
    """Return one row as it is handed out: with what was answered before, if anything was."""
    item = review.items[number]
    before = review.answers.get(item.id)
    answered = {"answer": before.answer, "reason": before.reason} if before else {"answer": "", "reason": ""}
    return {"item": item.id, **item.shown, **answered}
