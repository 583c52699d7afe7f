"""What following the journal's chain found."""

from collections.abc import Sequence

from adzeguard.core.views.page import Lines, Page


def verified_page(count: int, broken: Sequence[str], holding: Sequence[str]) -> Page:
    """Return what is not as it was written, or that all rows are; and what each seal holds."""
    data = {"count": count, "broken": list(broken), "seals": list(holding)}
    return Page(data, [Lines([*(broken or [f"All {count} rows stand as they were written."]), *holding])])
