"""Whether a directory ends memberships by itself."""

from adzeguard.core.views.page import Fact, Page, Section


def support_page(known: bool, on: bool, level: int, needed_level: int) -> Page:
    """Return what the directory can do, what that means for leases, and what there is to do."""
    data = {"known": known, "on": on, "level": level, "needed_level": needed_level}
    sections: list[Section] = []
    if on:
        sections += [
            Fact("The directory", "ends memberships by itself"),
            Fact("Leases of groups", "end in time, even if nothing of ours runs then; rounds are the second line"),
        ]
    else:
        able = "could end memberships by itself, and is not asked to" if known else "cannot end memberships by itself"
        sections += [Fact("The directory", able), Fact("Leases", "end by rounds: adzeguard round, or adzeguard watch")]
    if known and not on:
        sections.append(Fact("Level of the forest", f"{level}; it takes {needed_level}"))
    if known and not on and level >= needed_level:
        sections.append(Fact("To switch it on, for good", "adzeguard lease support --switch-on"))
    return Page(data, sections)
