"""What to do next: the most pressing first, each command once."""

from datetime import UTC, datetime, timedelta
from typing import Any

from adzeguard.core.views.next_steps import next_steps

NOW = datetime(2026, 11, 30, 12, tzinfo=UTC)
NOTHING: dict[str, Any] = {
    "odd_rows": 0,
    "interrupted": "",
    "findings_by_check": {},
    "findings_by_severity": {},
    "not_followed": [],
    "mendable": 0,
    "hosts_pending": 0,
    "pending_since_at": None,
    "leases_over": 0,
    "letters_kept": 0,
    "round_at": None,
    "questions_asked_at": [],
    "collected_at": NOW,
    "checked_at": NOW,
    "check_is_outdated": False,
}


def test_a_command_that_does_two_things_stands_where_the_more_pressing_one_does() -> None:
    """A round ends leases that are over and is late: it stands before a proposal, with the leases as its reason."""
    data = {**NOTHING, "leases_over": 2, "round_at": NOW - timedelta(days=3), "mendable": 1}
    steps = next_steps(data, NOW)
    assert [step.command for step in steps] == ["adzeguard round", "adzeguard propose"]
    assert steps[0].reason == "2 leases should have ended"


def test_nothing_to_do_is_no_step_and_five_are_the_most() -> None:
    """The least pressing ones wait until the others are done."""
    assert next_steps(NOTHING, NOW) == []
    busy = {
        "odd_rows": 1,
        "interrupted": "e1",
        "leases_over": 1,
        "not_followed": ["a"],
        "mendable": 1,
        "letters_kept": 1,
    }
    steps = next_steps({**NOTHING, **busy, "questions_asked_at": [NOW]}, NOW)
    assert [step.command.split()[1] for step in steps] == ["journal", "enact", "round", "charter", "propose"]
