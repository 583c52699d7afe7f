"""Proposals in files, and whether they wait for another person's approval."""

import shlex
from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

from adzeguard.core.views.table import Column, Row, Table, data_columns


class Lying(NamedTuple):
    """A proposal in a file; `approved_by` is empty if no signature beside it counts."""

    file: str
    made_by: str
    made_at: datetime
    changes_count: int
    needs_approval: bool
    approved_by: str


def approvals_table(proposals: Sequence[Lying]) -> Table:
    """Return one row for each."""
    rows = [{**one._asdict(), "state": _state(one)} for one in proposals]
    columns = (
        Column("file", "Proposal"),
        Column("made_by", "By"),
        Column("made_at", "Made", kind="moment"),
        Column("changes_count", "Changes", kind="number"),
        *data_columns("needs_approval", "approved_by"),
        Column("state", "Approval", for_people=True),
    )
    empty = "No proposal lies here. Make one: adzeguard propose --output FILE"
    return Table(rows, columns, "", "", empty, _next_steps)


def _next_steps(rows: Sequence[Row]) -> list[str]:
    waiting = [row["file"] for row in rows if row["needs_approval"] and not row["approved_by"]]
    return [f"adzeguard approve {shlex.quote(file)} --key FILE" for file in waiting[:1]]


def _state(one: Lying) -> str:
    if one.approved_by:
        return f"by {one.approved_by}"
    return "waits" if one.needs_approval else "not needed"
