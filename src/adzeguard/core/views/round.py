"""What one round came to."""

from collections.abc import Mapping
from typing import Any

from adzeguard.core.views.page import Fact, Page, Section
from adzeguard.core.wording import some_of


def round_page(data: Mapping[str, Any]) -> Page:
    """Return it; what was not done is said, and what there was nothing of is not."""
    collected = data["collected"]
    counts = ", ".join(f"{count} {what}" for what, count in collected.items() if count) or "nothing"
    sections: list[Section] = [Fact("Changed", counts)]
    if data["events"]:
        sections.append(Fact("Logged", f"{data['events']} new events"))
    if data["leases_ended"]:
        sections.append(Fact("Leases ended", ", ".join(data["leases_ended"])))
    if data["leases_left"]:
        sections.append(Fact("Leases over", f"{', '.join(data['leases_left'])}, and not ended", "high"))
    if data["leases_begun"]:
        sections.append(Fact("Shifts begun", ", ".join(data["leases_begun"])))
    sections.append(Fact("Mended", str(data["mended"])))
    if data["asked"]:
        sections.append(Fact("Asked", f"{some_of(data['asked'])}: adzeguard questions"))
    if data["settled"]:
        sections.append(Fact("Settled", some_of(data["settled"])))
    for label, key in (
        ("Not followed", "not_followed"),
        ("Not made", "not_made"),
        ("Refused", "refusals"),
        ("Not told", "untold"),
    ):
        if data[key]:
            sections.append(Fact(f"{label} ({len(data[key])})", [str(line) for line in data[key]]))
    return Page(data, sections)
