"""Whether a directory ends memberships by itself."""

from adzeguard.core.views.page import Fact, Page, Section


def support_page(known: bool, on: bool, level: int, needed_level: int) -> Page:
    """Return what the directory can do, what that means for leases, and what there is to do."""
    data = {"known": known, "enabled": on, "level": level, "needed_level": needed_level}
    if on:
        ends = "end in time, even if nothing of ours runs then; rounds are the second line"
        sections: list[Section] = [
            Fact("Directory", "ends memberships by itself"),
            Fact("Leases", ends),
            Fact("On hosts", "leases end by rounds: adzeguard round, or adzeguard round watch"),
        ]
        return Page(data, sections)
    able = "could end memberships by itself, and is not asked to" if known else "cannot end memberships by itself"
    sections = [Fact("Directory", able), Fact("Leases", "end by rounds: adzeguard round, or adzeguard round watch")]
    if known and level < needed_level:
        sections.append(Fact("Forest", f"is of level {level}; it takes {needed_level} to switch that on"))
    elif known:
        sections.append(Fact("Switch on", "adzeguard lease support --switch-on; it can never be switched off again"))
    return Page(data, sections)
