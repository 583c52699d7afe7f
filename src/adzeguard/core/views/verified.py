"""What following the journal's chain found."""

from collections.abc import Sequence

from adzeguard.core.views.page import Lines, Page


def verified_page(count: int, broken: Sequence[str], holding: Sequence[str]) -> Page:
    """Return what is not as it was written, or that all rows are; and what each seal holds."""
    data = {"count": count, "broken": list(broken), "seals": list(holding)}
    return Page(data, [Lines(verified_lines(count, broken, holding))])


def verified_lines(count: int, broken: Sequence[str], holding: Sequence[str]) -> list[str]:
    """Return one line for each thing that is not as it was written, or one that all is; and one for each seal."""
    return [*(broken or [f"All {count} rows stand as they were written."]), *holding]
