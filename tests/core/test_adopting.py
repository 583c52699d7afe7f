"""A first charter from what stands: it says exactly that, whatever stands."""

from datetime import date

from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.access.privileged import privileged_groups
from adzeguard.core.adopting.adopt import adopted_charter
from adzeguard.core.adopting.rule_ids import rule_id
from adzeguard.core.charter.parse import parse_charter
from adzeguard.core.charter.resolve import ResolvedCharter, resolve_charter
from adzeguard.core.estate.estate import Estate
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.settings.charter_yaml import document_of
from tests.estates import directory, estate, rights_of

PEOPLE = ["Administrator", "ada", "ben", "o'hara", "x: y", "#hash", "Åsa"]
GROUPS = ["Domain Admins", "Enterprise Admins", "Crew", "Night: Watch", "'Quoted'"]
OUS = ["OU=Kiosks,OU=Hosts", "OU=Hosts"]


@st.composite
def estates(draw: st.DrawFn) -> Estate:
    """People in groups that may hold each other, and hosts with administrators of every sort."""
    members = {group: draw(st.lists(st.sampled_from([*PEOPLE, *GROUPS]), unique=True, max_size=5)) for group in GROUPS}
    hosts = {f"HOST-{n}": draw(st.sampled_from(OUS)) for n in range(draw(st.integers(1, 5)))}
    insiders = [*PEOPLE[:3], *GROUPS[:3], "local", "S-1-5-21-9-9-9-1234"]
    administrators = {host: draw(st.lists(st.sampled_from(insiders), unique=True, max_size=4)) for host in hosts}
    return estate(directory(PEOPLE, members, computers=hosts), administrators)


def adopted(of: Estate) -> ResolvedCharter:
    """The charter that is adopted, read as a file is."""
    text = adopted_charter(rights_of(of), privileged_groups(of, ()))
    charter = parse_charter([document_of(text, "adopted.yaml")], RULE_KINDS)
    return resolve_charter(charter, RULE_KINDS, of, date(2026, 11, 23), "mend", default_keepers(of))


@given(estates())
def test_nothing_deviates_from_what_was_adopted(of: Estate) -> None:
    """Names of any sort are read back as whom they name, and hosts that differ have rules of their own."""
    resolved = adopted(of)
    assert resolved.problems == ()
    found = corrections(rights_of(of), resolved, [])
    # A keeper that stands nowhere is told by a rule that was adopted as by any other.
    assert [(c.check, c.subject.name, c.message) for c in found if c.check != "keeper-not-listed"] == []


@given(st.lists(st.lists(st.text(max_size=12), min_size=1, max_size=3), max_size=12))
def test_each_rule_has_an_id_of_its_own(names: list[list[str]]) -> None:
    """Whatever its names hold, it is kebab-case, and never the same twice."""
    from collections import Counter

    taken: Counter[str] = Counter()
    ids = [rule_id(taken, *some) for some in names]
    assert len(set(ids)) == len(ids)
    assert all(one and set(one) <= set("abcdefghijklmnopqrstuvwxyz0123456789-") for one in ids)
