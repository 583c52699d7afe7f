"""The terminal picker, driven as a person would."""

import asyncio
from collections.abc import Awaitable, Callable

from textual.pilot import Pilot
from textual.widgets import DataTable, Static

from adzeguard.report.picker import Picker

ROWS = [
    {"Group": "Radio Watch", "People": "12", "Description": "Listens to the radio"},
    {"Group": "First Aiders", "People": "3", "Description": "Helps"},
    {"Group": "Fire Marshals", "People": "101", "Description": "Leads out\x1b[31m of the radio room"},
    {"Group": "[bold]odd[/bold]", "People": "7", "Description": "A name with markup"},
]


def drive(steps: Callable[[Picker, Pilot], Awaitable[None]]) -> Picker:
    """Run a picker and do something in it."""
    picker = Picker("Groups", ["Group", "People", "Description"], ROWS)

    async def run() -> None:
        async with picker.run_test(size=(120, 30)) as pilot:
            await steps(picker, pilot)

    asyncio.run(run())
    return picker


def names(picker: Picker) -> list[str]:
    """The groups as they are shown."""
    table = picker.query_one(DataTable)
    return [str(table.get_row_at(at)[1]) for at in range(table.row_count)]


def test_rows_are_filtered_taken_and_given_back_by_their_places() -> None:
    """A filter by any text and by one column narrows what is shown; what was taken stays taken under another filter."""

    async def steps(picker: Picker, pilot: Pilot) -> None:
        await pilot.press("slash", *"radio", "enter", "a")
        assert names(picker) == ["Fire Marshals", "Radio Watch"]
        await pilot.press("slash", *["backspace"] * 5, *"group:first", "enter")
        assert names(picker) == ["First Aiders"]
        await pilot.press("space", "space", "space", "d")

    assert drive(steps).return_value == [0, 1, 2]


def test_columns_are_sorted_hidden_and_shown_again() -> None:
    """Numbers sort as numbers, twice turns round; a hidden column is gone until all are shown."""

    async def steps(picker: Picker, pilot: Pilot) -> None:
        await pilot.press("right", "right", "s")
        assert names(picker) == ["First Aiders", "[bold]odd[/bold]", "Radio Watch", "Fire Marshals"]
        await pilot.press("s")
        assert names(picker)[0] == "Fire Marshals"
        await pilot.press("h")
        assert picker.columns_shown == ["Group", "Description"]
        assert [str(c.label) for c in picker.query_one(DataTable).ordered_columns] == ["Take", "Group", "Description"]
        await pilot.press("u")
        assert picker.columns_shown == ["Group", "People", "Description"]
        await pilot.press("a", "n", "space")
        assert "1 taken, 4 of 4 shown" in str(picker.query_one("#count", Static).render())
        await pilot.press("d")

    assert drive(steps).return_value == [2]


def test_giving_up_takes_nothing_and_no_cell_steers_the_terminal() -> None:
    """Escape leaves the filter first and then the picker; control characters are replaced."""

    async def steps(picker: Picker, pilot: Pilot) -> None:
        table = picker.query_one(DataTable)
        shown = [str(cell) for at in range(table.row_count) for cell in table.get_row_at(at)]
        assert not any("\x1b" in cell for cell in shown)
        await pilot.press("space", "slash", "escape")
        assert picker.is_running
        await pilot.press("escape")

    assert drive(steps).return_value is None
