"""How often the store is asked: a look asks a few dozen questions, however large the charter and the estate are."""

import json
import sqlite3
from typing import Any

import pytest

from tests.program import Program

NOT_COUNTED = ("BEGIN", "COMMIT", "ROLLBACK", "PRAGMA", "SAVEPOINT")
LOOKS = [
    ("who", "Domain Admins"),
    ("who", "--on", "KIOSK-01"),
    ("who", "--hosts"),
    ("who", "--groups"),
    ("why", "mira.holt.adm", "--in", "Domain Admins"),
    ("find", "a"),
    ("show", "roan.pell"),
    ("show", "KIOSK-01"),
    ("doors",),
    ("doors", "roan.pell"),
    ("may", "roan.pell", "write:member", "First Aiders"),
    ("reach", "Domain Admins"),
    ("stale", "accounts"),
    ("stale", "groups"),
    ("stale", "ous"),
    ("uses", "First Aiders"),
    ("hosts", "list"),
    ("grant", "list"),
    ("status",),
]


@pytest.fixture
def asked(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The statements that were given to the database since it was last cleared."""
    statements: list[str] = []
    real: Any = sqlite3.connect

    def connect(*given: Any, **named: Any) -> sqlite3.Connection:
        connection: sqlite3.Connection = real(*given, **named)
        connection.set_trace_callback(lambda one: None if one.startswith(NOT_COUNTED) else statements.append(one))
        return connection

    monkeypatch.setattr(sqlite3, "connect", connect)
    return statements


@pytest.fixture
def large(demo: Program) -> Program:
    """The demo with a thousand further rules, each with names of its own."""
    names = [row["name"] for row in demo("find", "", "--kind", "user", "--limit", "1000", "--format", "json").json]
    groups = [row["name"] for row in demo("find", "", "--kind", "group", "--limit", "1000", "--format", "json").json]
    rules = "".join(
        f"  - {{id: more-{number}, group: 'LOWMERE\\{groups[number % len(groups)]}', response: tell,"
        f" exclude: ['LOWMERE\\{names[number % len(names)]}']}}\n"
        for number in range(1000)
    )
    (demo.folder / "charter/more.yaml").write_text(f"charter: 1\nrules:\n{rules}")
    return demo


@pytest.mark.parametrize("look", LOOKS, ids=" ".join)
def test_a_look_asks_at_most_sixty_questions(demo: Program, asked: list[str], look: tuple[str, ...]) -> None:
    """Names are looked up together, and rows are read together."""
    assert demo(*look).code in (0, 3)
    assert len(asked) <= 60, asked


def test_a_thousand_rules_cost_no_question_each(large: Program, asked: list[str]) -> None:
    """Check and propose ask at most three hundred, and about as many as with the rules of the demo alone."""
    for command in (("check", "--format", "json"), ("propose", "--format", "json")):
        asked.clear()
        assert large(*command).code == 3
        assert len(asked) <= 300, sorted(asked)


def test_what_many_hold_costs_no_question_each(demo: Program, asked: list[str]) -> None:
    """Who holds something over an object is looked up with all others who do."""
    people = demo("find", "", "--kind", "user", "--limit", "1000", "--format", "json").json
    to = [rf"LOWMERE\{one['name']}" for one in people[:80]]
    rule = {"id": "readers", "over": "OU=Groups", "response": "mend", "grant": ["read-all"], "to": to}
    (demo.folder / "charter/more.yaml").write_text(json.dumps({"charter": 1, "rules": [rule]}))
    made = demo("enact", "--rule", "readers", "--yes")
    assert made.code == 0, made.err
    for look in (("grant", "list"), ("grant", "list", "--over", "OU=Groups"), ("check", "--format", "json")):
        demo(*look)  # what was put in is gathered by the first look that needs it
        asked.clear()
        assert demo(*look).code in (0, 3)
        assert len(asked) <= (300 if look[0] == "check" else 60), asked
        assert any(row["holder"] == to[-1] for row in demo("grant", "list", "--format", "json").json)
