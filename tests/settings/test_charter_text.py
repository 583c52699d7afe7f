"""Rules that are put into the text of a charter file, altered and taken out: nothing else in it moves."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from adzeguard.core.charter.amendment import Amendment
from adzeguard.core.errors import UsageError
from adzeguard.settings.charter_text import amended_text
from adzeguard.settings.charter_yaml import document_of

FIRST = {"id": "first", "why": "X", "group": r"L\Boss", "only": [r"L\anna", r"L\bo"]}
TEXT = r"""# What we agreed on.
charter: 1
rules:
  # About the first.
  - id: first
    why: X   # a reason
    group: L\Boss
    only:
      - L\anna   # the boss
      - "L\\bo"

  # About the second.
  - id: second
    hosts: {under: "OU=A", except: [X]}
    local-group: administrators
    include: ['L\c']
# The end.
duties: {}
"""
NAMES = st.text(
    st.characters(codec="utf-8", categories=("L", "N", "P", "S", "Zs"), exclude_characters="\r\n"),
    min_size=1,
    max_size=12,
).map(lambda name: f"L\\{name}")


def rules_of(text: str) -> list[dict[str, object]]:
    """Read the rules as the program does."""
    rules = document_of(text, "f").tree["rules"]
    assert isinstance(rules, list)
    return rules


def test_every_other_line_stays_when_a_rule_is_added_altered_or_taken_out() -> None:
    """A rule that is added stands last; one that is altered or taken out moves no line of another, or comment."""
    added = amended_text(TEXT, "f", Amendment("new", None, {"id": "new", "group": r"L\q", "only": []}))
    assert added.replace("\n\n  - id: new\n    group: L\\q\n    only: []", "") == TEXT
    after = {**FIRST, "only": [r"L\anna", r"L\cy"]}
    altered = amended_text(TEXT, "f", Amendment("first", FIRST, after))
    assert altered[altered.index("  # About the second") :] == TEXT[TEXT.index("  # About the second") :]
    assert "# a reason" in altered
    assert "# the boss" in altered
    removed = amended_text(TEXT, "f", Amendment("first", FIRST, None))
    assert removed == TEXT[: TEXT.index("  # About the first")] + TEXT[TEXT.index("  # About the second") :]


def test_a_single_host_may_become_a_list() -> None:
    """`except: X` beside a further name becomes a list of both; what else the scope says stays."""
    text = "charter: 1\nrules:\n- id: a\n  hosts: {under: OU=A, except: X}\n  local-group: administrators\n"
    before = {"id": "a", "hosts": {"under": ["OU=A"], "except": ["X"]}}
    changed = amended_text(
        text, "f", Amendment("a", before, {"id": "a", "hosts": {"under": ["OU=A"], "except": ["X", "Y"]}})
    )
    assert rules_of(changed)[0]["hosts"] == {"under": "OU=A", "except": ["X", "Y"]}


def test_rules_in_brackets_are_left_to_an_editor() -> None:
    """A list of rules on one line cannot be changed line by line: it is refused, with what to do."""
    with pytest.raises(UsageError, match="brackets"):
        amended_text("charter: 1\nrules: [{id: a, group: L\\q, only: []}]\n", "f", Amendment("a", {"id": "a"}, None))


@settings(max_examples=20)
@given(st.lists(st.lists(NAMES, unique=True, max_size=3), min_size=1, max_size=3), st.data())
def test_what_is_written_is_read_back(lists: list[list[str]], data: st.DataObject) -> None:
    """Rules with any names are written, altered and taken out so that the reader finds just what was meant."""
    text, standing = "", []
    for at, names in enumerate(lists):
        words = {"id": f"r{at}", "group": r"L\g", "only": names}
        text = amended_text(text, "f", Amendment(f"r{at}", None, words))
        standing.append(words)
    at = data.draw(st.integers(0, len(standing) - 1))
    kept = [one for one in standing[at]["only"] if data.draw(st.booleans())]
    after = {
        **standing[at],
        "only": [*kept, *(n for n in data.draw(st.lists(NAMES, unique=True, max_size=3)) if n not in kept)],
    }
    text = amended_text(text, "f", Amendment(f"r{at}", standing[at], after))
    standing[at] = after
    assert rules_of(text) == standing
    gone = data.draw(st.integers(0, len(standing) - 1))
    text = amended_text(text, "f", Amendment(f"r{gone}", standing[gone], None))
    del standing[gone]
    assert rules_of(text) == standing
