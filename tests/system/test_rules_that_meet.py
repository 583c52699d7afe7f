"""Rules that contradict each other, and one that is against a keeper: told in words, under each of them."""

from tests.program import Program

CHARTER = r"""charter: 1
rules:
  - {id: in, group: 'LOWMERE\First Aiders', include: ['LOWMERE\orla.fenn'], response: mend}
  - {id: out, group: 'LOWMERE\First Aiders', exclude: ['LOWMERE\orla.fenn'], response: mend}
  - {id: one, group: 'LOWMERE\Crew Rota', only: ['LOWMERE\orla.fenn'], response: mend}
  - {id: other, group: 'LOWMERE\Crew Rota', only: ['LOWMERE\mira.holt'], response: mend}
  - {id: keeper, group: 'LOWMERE\Domain Admins', exclude: ['LOWMERE\Administrator'], response: mend}
"""


def test_a_conflict_names_both_rules_and_the_member_and_is_found_under_either(demo: Program) -> None:
    """No bare SID stands in it, nothing is changed, and an excluded keeper is told as that."""
    (demo.folder / "charter/charter.yaml").write_text(CHARTER)
    linted = demo("charter", "lint")
    said = (
        "rules in (charter/charter.yaml:3) and out (charter/charter.yaml:4) contradict each other: "
        r"one includes and the other excludes LOWMERE\orla.fenn; nothing is changed here"
    )
    assert (linted.code, said in linted.out) == (3, True), linted.out
    for pair in (("in", "out"), ("one", "other")):
        found = [demo("check", "--rule", rule, "--format", "json").json for rule in pair]
        assert [f["check"] for f in found[0]] == ["rule-conflict"]
        assert found[0] == found[1]
    assert "rules one (charter/charter.yaml:5) and other" in demo("check", "--rule", "other", "--format", "csv").out
    assert demo("propose", "--format", "json").json["changes"] == []
    [kept] = demo("check", "--rule", "keeper", "--format", "json").json
    assert kept["message"] == r"user LOWMERE\Administrator is a keeper that the rule excludes; it stays"
