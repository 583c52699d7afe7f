"""The settings of a workspace, with where each value comes from."""

from collections.abc import Iterable
from typing import NamedTuple

from adzeguard.core.views.table import Column, Table


class SettingRow(NamedTuple):
    """One key: `origin` is file, default or not set; values are written as TOML has them."""

    table: str
    key: str
    value: str
    default: str
    origin: str
    words: str


def settings_table(rows: Iterable[SettingRow], file: str) -> Table:
    """Return one row for each key."""
    columns = (
        Column("table", "Table", fixed=True),
        Column("key", "Key", fixed=True),
        Column("value", "Value"),
        Column("default"),
        Column("origin", "Origin", kind="word", fixed=True),
        Column("words", "Meaning", wide=True),
    )
    return Table([row._asdict() for row in rows], columns, title=file)
