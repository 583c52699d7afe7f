"""What a charter means: reading it, its names, its scopes, and what it demands."""

from datetime import date
from itertools import pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.charter.parse import parse_charter
from adzeguard.core.charter.resolve import ResolvedCharter, resolve_charter
from adzeguard.core.charter.schema import json_schema
from adzeguard.core.errors import CharterError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.review.correction import Correction
from adzeguard.core.review.corrections import corrections
from adzeguard.core.review.kinds import RULE_KINDS
from adzeguard.core.review.members import CHECKS
from adzeguard.settings.charter_yaml import document_of
from tests.estates import directory, estate, rights_of

PEOPLE = ["Administrator", "ada", "ben", "cleo", "dora"]
OU = "OU=Kiosks,OU=Hosts"


def house(administrators: list[str] | None = None) -> Estate:
    """A directory with a few groups, and one kiosk."""
    groups = {
        "Domain Admins": ["Administrator", "ada"],
        "Stewards": ["ben"],
        "Crew": ["cleo", "dora"],
        "Quay": ["Crew"],
    }
    whole = directory(PEOPLE, groups, computers={"KIOSK-1": OU, "KIOSK-2": OU})
    return estate(whole, {"KIOSK-1": administrators or [], "KIOSK-2": ["Domain Admins", "local"]})


def resolved(text: str, of: Estate, response: str = "tell") -> ResolvedCharter:
    """The charter of rules in YAML, resolved."""
    charter = parse_charter([document_of("charter: 1\nrules:\n" + text, "charter.yaml")], RULE_KINDS)
    return resolve_charter(charter, RULE_KINDS, of, date(2026, 11, 23), response, default_keepers(of))


def told(text: str, of: Estate) -> set[tuple[str, str, str]]:
    """What deviates on KIOSK-1: kind, member, rule."""
    kinds = {check: kind for kind, check in CHECKS.items()}
    return {
        (kinds[c.check], c.member.name.rpartition("\\")[2], c.rule)
        for c in on_kiosk(text, of)
        if c.check in kinds and c.member
    }


def on_kiosk(text: str, of: Estate) -> list[Correction]:
    """Every correction about KIOSK-1 or a directory group."""
    charter = resolved(text, of)
    assert not charter.problems, [problem.message for problem in charter.problems]
    return [c for c in corrections(rights_of(of), charter) if c.host is None or c.host.name == "KIOSK-1"]


def rule(name: str, scope: str, says: str) -> str:
    """One rule about the administrators of hosts."""
    return f"  - {{id: {name}, hosts: {{{scope}}}, local-group: administrators, {says}}}\n"


NEAR, FAR, NAMED, ALL = "under: 'OU=Kiosks,OU=Hosts'", "under: OU=Hosts", "named: KIOSK-1", "everywhere: true"


@pytest.mark.parametrize(
    ("rules", "members", "expected"),
    [
        pytest.param([("r", NEAR, r"only: [LOWMERE\ben]")], ["ben", "ada"], {("unlisted", "ada", "r")}, id="only"),
        pytest.param([("r", NEAR, r"include: [LOWMERE\ben]")], ["ada"], {("missing", "ben", "r")}, id="include"),
        pytest.param(
            [("r", NEAR, r"exclude: [LOWMERE\ada]")], ["ben", "ada"], {("excluded", "ada", "r")}, id="exclude"
        ),
        pytest.param(
            [("r", NEAR, r"only: []")], ["Domain Admins"], {("keeper", "Domain Admins", "r")}, id="a keeper stays"
        ),
        pytest.param([("r", NEAR, r"only: [local\administrator]")], ["local"], set(), id="local account"),
        pytest.param(
            [("near", NEAR, r"only: [LOWMERE\ben]"), ("far", FAR, r"only: [LOWMERE\ada]")],
            ["ada", "ben"],
            {("unlisted", "ada", "near")},
            id="closest only wins",
        ),
        pytest.param(
            [("near", NEAR, r"only: [LOWMERE\ben]"), ("named", NAMED, r"only: [LOWMERE\ada]")],
            ["ada", "ben"],
            {("unlisted", "ben", "named")},
            id="a host by name is closest",
        ),
        pytest.param(
            [("all", ALL, r"include: [LOWMERE\cleo]"), ("near", NEAR, r"only: [LOWMERE\ben]")],
            ["ben"],
            {("missing", "cleo", "all")},
            id="an include is added from any distance",
        ),
        pytest.param(
            [("all", ALL, r"exclude: [LOWMERE\ben]"), ("near", NEAR, r"only: [LOWMERE\ben]")],
            ["ben"],
            {("excluded", "ben", "all")},
            id="an exclude takes away even out of an only",
        ),
        pytest.param([("r", "under: OU=Hosts, except: KIOSK-1", "only: []")], ["ada"], set(), id="excepted by name"),
        pytest.param([("r", NEAR, "nested: refuse")], ["Quay", "ada"], {("nested", "Quay", "r")}, id="nested refused"),
    ],
)
def test_rules_demand_what_the_charter_reference_says(rules: list, members: list[str], expected: set) -> None:
    """Each case of only, include, exclude, distance, exception, keeper and nesting has its one meaning."""
    assert told("".join(rule(*one) for one in rules), house(members)) == expected


MENDS = "response: mend, "


@pytest.mark.parametrize(
    ("rules", "members", "changed", "expected"),
    [
        pytest.param(
            [("only", NEAR, MENDS + r"only: [LOWMERE\ben]"), ("also", NEAR, r"include: [LOWMERE\cleo]")],
            ["ben", "cleo"],
            {("remove", "cleo")},
            {("unlisted", "cleo", "only"), ("missing", "cleo", "also")},
            id="an include that tells keeps nobody in",
        ),
        pytest.param(
            [("only", NEAR, MENDS + r"only: [LOWMERE\ben]"), ("not", NEAR, r"exclude: [LOWMERE\ben]")],
            ["ben"],
            set(),
            {("excluded", "ben", "not")},
            id="an exclude that tells takes nobody out",
        ),
        pytest.param(
            [("put", NEAR, MENDS + r"include: [LOWMERE\cleo]"), ("too", NAMED, r"include: [LOWMERE\cleo]")],
            [],
            {("add", "cleo")},
            {("missing", "cleo", "put")},
            id="an include that tells from nearer does not shadow one that mends",
        ),
        pytest.param(
            [("near", NAMED, r"only: [LOWMERE\ada]"), ("far", FAR, MENDS + r"only: [LOWMERE\ben]")],
            ["ada"],
            {("add", "ben"), ("remove", "ada")},
            {
                ("missing", "ben", "far"),
                ("unlisted", "ada", "far"),
                ("missing", "ada", "near"),
                ("unlisted", "ben", "near"),
            },
            id="the nearest tells and a farther one mends",
        ),
        pytest.param(
            [("a", NEAR, MENDS + r"include: [LOWMERE\ben]"), ("b", NEAR, r"exclude: [LOWMERE\ben]")],
            [],
            {("add", "ben")},
            {("missing", "ben", "a")},
            id="a contradiction with what tells stops no mending",
        ),
    ],
)
def test_what_only_tells_neither_shadows_nor_changes(
    rules: list, members: list[str], changed: set, expected: set
) -> None:
    """Changes follow from the rules that mend alone; what tells is told about the state that mending leads to."""
    text, of = "".join(rule(*one) for one in rules), house(members)
    changes = [c for correction in on_kiosk(text, of) if correction.response == "mend" for c in correction.changes]

    assert {(c.kind.partition("-")[0], c.about.member.rpartition("\\")[2]) for c in changes} == changed
    assert told(text, of) == expected


def test_a_local_name_that_no_host_knows_stops_its_rule() -> None:
    """Misspelt in any list or as the group itself, it is a mistake of the rule, with what comes near."""
    for says in (r"only: [local\administratr]", r"include: [local\administratr]"):
        of = house(["ada"])
        [found] = corrections(rights_of(of), resolved(rule("r", NEAR, MENDS + says), of))
        assert (found.check, found.stops_rule, found.changes) == ("unresolved-name", True, ())
        assert r"did you mean 'local\administrator'" in found.message
    named = r"  - {id: r, hosts: {everywhere: true}, local-group: 'local\Fiters', response: mend, only: []}" + "\n"
    [found] = corrections(rights_of(house()), resolved(named, house()))
    assert (found.check, r"no host where the rule holds has 'local\Fiters'" in found.message) == (
        "unresolved-name",
        True,
    )


@pytest.mark.parametrize(
    "rules",
    [
        [("a", NEAR, r"only: [LOWMERE\ben]"), ("b", NEAR, r"only: [LOWMERE\ada]")],
        [("a", NEAR, r"include: [LOWMERE\ben]"), ("b", NEAR, r"exclude: [LOWMERE\ben]")],
    ],
)
def test_rules_that_contradict_each_other_change_nothing(rules: list) -> None:
    """Two lists, or a wish and its opposite, at the same distance are a conflict and no deviation."""
    found = on_kiosk("".join(rule(*one) for one in rules), house(["cleo"]))

    assert [c.check for c in found] == ["rule-conflict"]
    assert found[0].stops_rule
    assert not found[0].changes
    assert "rules a (charter.yaml:3) and b (charter.yaml:4)" in found[0].message


@given(st.sets(st.sampled_from(["ada", "ben", "cleo"])), st.sets(st.sampled_from(["ada", "ben", "cleo", "dora"])))
def test_an_include_never_takes_anybody_out(wanted: set[str], members: set[str]) -> None:
    """A list that says also these leaves everybody where they are."""
    says = (
        f"include: [{', '.join(f'LOWMERE{chr(92)}{name}' for name in sorted(wanted)) or 'LOWMERE' + chr(92) + 'ada'}]"
    )
    kinds = {kind for kind, _, _ in told(rule("r", NEAR, says), house(sorted(members)))}

    assert kinds <= {"missing"}


@pytest.mark.parametrize(
    ("name", "hint"),
    [
        ("Stewards", r"write LOWMERE\Stewards (group of the directory)"),
        (r"LOWMERE\Stewrads", r"did you mean 'LOWMERE\Stewards'?"),
        (r"ELSEWHERE\Stewards", r"nothing is called"),
        ("S-1-5-x", "is not a SID"),
    ],
)
def test_a_name_that_is_none_stops_its_rule_alone(name: str, hint: str) -> None:
    """The rule with the bad name is left out with a hint at its place; the other rule goes on."""
    of = house(["ada"])
    charter = resolved(rule("bad", NEAR, f"only: ['{name}']") + rule("good", NEAR, r"exclude: [LOWMERE\ada]"), of)

    assert [r.id for r in charter.rules] == ["good"]
    assert charter.problems[0].where == "charter.yaml:3"
    assert hint in charter.problems[0].message


def test_rules_hold_only_while_they_are_in_force() -> None:
    """A rule that is switched off or past its last day demands nothing; on its last day it still does."""
    of = house(["ada"])
    texts = [
        rule(f"r{n}", NEAR, rf"only: [], {says}")
        for n, says in enumerate(("enabled: false", "until: 2026-11-22", "until: 2026-11-23"))
    ]

    assert [r.id for r in resolved("".join(texts), of).rules] == ["r2"]


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("charter: 2", "charter.yaml:1: the first line must be charter: 1"),
        ("rules: []", "charter.yaml:1: the first line must be charter: 1"),
        ("charter: 1\nrulse: []", "charter.yaml:2: unknown key 'rulse', did you mean 'rules'?"),
        (
            "charter: 1\nrules:\n- id: a\n  group: X\n  onyl: []",
            "charter.yaml:5: rule a: unknown key 'onyl', did you mean 'only'?",
        ),
        (
            "charter: 1\nrules:\n- id: a\n  grup: X\n  only: []",
            "charter.yaml:3: rule a: says neither group, local-group",
        ),
        (
            "charter: 1\nrules:\n- id: A b\n  group: X\n  only: []",
            "charter.yaml:3: rule A b: id 'A b' must be lower-case words",
        ),
        (
            "charter: 1\nrules:\n- id: a\n  group: X\n  only: []\n  response: mned",
            "charter.yaml:6: rule a: response must be 'tell' or 'mend', not 'mned', did you mean 'mend'?",
        ),
        (
            "charter: 1\nrules:\n- id: a\n  group: X\n  only: []\n  response: alert",
            "charter.yaml:6: rule a: response 'alert' is called 'tell' since the first version",
        ),
        (
            "charter: 1\nrules:\n- id: a\n  hosts: {everywhere: true}",
            "charter.yaml:3: rule a: says on which hosts, and not what is demanded of them: give local-group",
        ),
        ("charter: 1\nrules:\n- id: a\n  group: X", "charter.yaml:3: rule a: demands nothing"),
        ("charter: 1\nrules:\n- id: a\n  group: X\n  only: Y", "charter.yaml:5: rule a: only must be a list"),
        (
            "charter: 1\nrules:\n- id: a\n  group: X\n  only: []\n- id: a\n  group: Y\n  only: []",
            "charter.yaml:6: rule a: this id is taken",
        ),
        ("charter: 1\nrules:\n- id: a\n  group: X\n  group: Y", "charter.yaml:5: the key 'group' stands here twice"),
        ("charter: 1\nrules: &x\n- id: a", "charter.yaml:2: anchors and aliases are not read"),
        ("charter: 1\nrules: !!python/object:os.system {}", "charter.yaml:2: tags like"),
        ("charter: 1\n---\ncharter: 1", "charter.yaml:2: one file holds one charter"),
        ("charter: [1\nrules: 3", "charter.yaml:2: not YAML"),
        ("a: " + "[" * 70, "charter.yaml:1: nested deeper than 64"),
    ],
)
def test_a_mistake_in_a_charter_is_told_with_its_line(text: str, expected: str) -> None:
    """Each mistake is one line that begins with file and line and says what would be right."""
    with pytest.raises(CharterError) as raised:
        parse_charter([document_of(text, "charter.yaml")], RULE_KINDS)

    assert raised.value.problems[0].startswith(expected)


@given(st.text(alphabet=st.sampled_from("charter: 1\nules-id{}[]&*!?|>'\",#%@`\t\\x0"), max_size=80))
def test_any_text_is_a_charter_or_an_error_of_ours(text: str) -> None:
    """No text makes the reader fail in another way than by saying what is wrong with it."""
    try:
        parse_charter([document_of("charter: 1\nrules:\n" + text, "c.yaml")], RULE_KINDS)
    except CharterError as error:
        assert all(problem.startswith("c.yaml") for problem in error.problems)


def test_the_schema_names_every_key_of_the_model() -> None:
    """The JSON Schema describes the rules by the keys that people write."""
    rules = json_schema(RULE_KINDS)["$defs"]

    assert {"only", "include", "exclude", "nested", "reach-only", "response", "until"} <= rules["GroupRule"][
        "properties"
    ].keys()
    assert {"under", "named", "except", "everywhere"} == rules["HostScope"]["properties"].keys()
    assert all("place" not in rule["properties"] for rule in rules.values())
    assert all(a != b for a, b in pairwise(sorted(rules)))


@pytest.mark.parametrize(("last", "inside"), [("2026-11-22", False), ("2026-11-23", True), ("2026-12-24", True)])
def test_a_lease_of_a_rule_lists_somebody_up_to_its_last_day(last: str, inside: bool) -> None:
    """With `only` they may be there until then, and are wanted; afterwards they are as unlisted as anybody."""
    scope = "hosts: {everywhere: true}, local-group: administrators"
    text = rf"  - {{id: a, {scope}, only: [LOWMERE\Domain Admins], lease: {{LOWMERE\cleo: {last}}}}}" + "\n"
    there = {(kind, member) for kind, member, _ in told(text, house(["Domain Admins", "cleo"]))}
    absent = {(kind, member) for kind, member, _ in told(text, house(["Domain Admins"]))}
    assert there == (set() if inside else {("unlisted", "cleo")})
    assert absent == ({("missing", "cleo")} if inside else set())


def test_a_lease_beside_include_is_wanted_and_then_is_nobodys_matter() -> None:
    """What was put in for it is withdrawn as what no rule asks for any more; who was excluded cannot have one."""
    text = "  - {id: a, group: 'LOWMERE\\Stewards', include: ['LOWMERE\\ada'], lease: {'LOWMERE\\cleo': %s}}\n"
    for last, missing in (("2026-11-23", {"ada", "cleo"}), ("2026-11-22", {"ada"})):
        assert {member for kind, member, _ in told(text % last, house()) if kind == "missing"} == missing
    with pytest.raises(CharterError, match="both wants and excludes"):
        resolved(text.replace("include: ['LOWMERE\\ada']", "exclude: ['LOWMERE\\cleo']") % "2026-11-23", house())
