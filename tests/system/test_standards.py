"""Standards of a charter: each tells what deviates from it, and nothing else."""

from tests.program import Json, Program

ADMINS = r"LOWMERE\Domain Admins"


def told(program: Program, standard: str) -> dict[str, list[Json]]:
    """What is found of one rule with this standard, by check."""
    (program.folder / "charter/standards.yaml").write_text(
        f"charter: 1\nrules:\n- {{id: ours, standard: {standard}}}\n"
    )
    found = program("check", "--rule", "ours", "--each", "--format", "json")
    assert found.code in (0, 3), found.err
    by_check: dict[str, list[Json]] = {}
    for row in found.json:
        assert row["response"] in ("tell", None)
        by_check.setdefault(row["check"], []).append(row)
    return by_check


def subjects(rows: list[Json]) -> set[str]:
    """About whom."""
    return {row["subject"].rpartition("\\")[2] for row in rows}


def test_how_many_people_may_be_inside(demo: Program) -> None:
    """Nested ones count; as many as are allowed are not too many."""
    found = told(demo, r"{most-people: {groups: ['LOWMERE\Domain Admins'], most: 5}}")
    assert [(row["subject"], row["message"]) for row in found["too-many-inside"]] == [
        (ADMINS, "6 are inside, and no more than 5 should be")
    ]
    assert told(demo, r"{most-people: {groups: ['LOWMERE\Domain Admins'], most: 6}}") == {}


def test_accounts_for_administration_are_others_and_have_no_mailbox(demo: Program) -> None:
    """Everybody inside whose name is not that of such an account; those with a mailbox."""
    scope = r"{inside: ['LOWMERE\Domain Admins']}"
    found = told(demo, f"{{apart: {{accounts: {scope}, like: ['*.adm', Administrator]}}}}")
    assert subjects(found["not-apart"]) == {"cato.lune", "orla.fenn"}
    text = (demo.folder / "lowmere.ldif").read_text()
    at = text.index("sAMAccountName: cato.lune")
    (demo.folder / "lowmere.ldif").write_text(f"{text[:at]}mail: cato@lowmere.example\n{text[at:]}")
    demo("collect")
    found = told(demo, f"{{no-mailbox: {scope}}}")
    assert subjects(found["mailbox-where-none"]) == {"cato.lune"}


def test_roles_and_resources_nest_in_one_direction(demo: Program) -> None:
    """A group in a role group, a person in a resource group, a group for no role in one: each told, by member."""
    for group, member in (
        ("Galley Crew", "Radio Watch"),
        ("Chart Editors", "roan.pell"),
        ("Chart Editors", "Galley Crew"),
    ):
        assert demo("group", "add", group, member, "--yes").code == 0
    found = told(demo, "{nesting: {roles: {named: ['Galley Crew']}, resources: {named: ['Chart Editors']}}}")
    told_of = {
        (row["subject"].rpartition("\\")[2], row["member"].rpartition("\\")[2]) for row in found["nested-otherwise"]
    }
    assert {("Galley Crew", "Radio Watch"), ("Chart Editors", "roan.pell")} <= told_of
    assert ("Chart Editors", "Galley Crew") not in told_of
    assert {group for group, _ in told_of} == {"Galley Crew", "Chart Editors"}


def test_names_places_owners_and_use(demo: Program) -> None:
    """By patterns below an OU; what lies in a default container; groups without a manager; privilege nobody uses."""
    found = told(
        demo, "{naming: {objects: computers, under: OU=Hosts, like: ['KIOSK-[0-9][0-9]', 'CONSOLE-??', 'LAPTOP-*']}}"
    )
    assert {name[:7] for name in subjects(found["named-otherwise"])} == {"HARBOUR"}
    found = told(demo, "{nothing-in: [CN=Users, CN=Computers]}")
    planted = {
        row["subject"] for row in demo("check", "--each", "--format", "json").json if row["check"] == "without-place"
    }
    assert {row["subject"] for row in found["lies-where-nothing-should"]} == planted
    assert demo("group", "set", "First Aiders", "--managed-by", "orla.fenn", "--yes").code == 0
    found = told(demo, "{owned: {under: OU=Groups, except: ['*Rota']}}")
    without = subjects(found["without-owner"])
    assert "First Aiders" not in without
    assert "North Quay Rota" not in without
    assert "Radio Watch" in without
    found = told(
        demo, r"{used-within: {accounts: {inside: ['LOWMERE\Break Glass', 'LOWMERE\Domain Admins']}, days: 90}}"
    )
    assert subjects(found["unused-privilege"]) == {"glass.one"}
    old = [
        subjects(told(demo, f"{{password-changed-within: {{accounts: {{under: OU=People}}, days: {days}}}}}")[check])
        for check, days in (("password-not-renewed", 200), ("password-not-renewed", 30))
    ]
    assert set() < old[0] < old[1]


def test_a_standard_that_says_nothing_is_a_mistake(demo: Program) -> None:
    """It is told with its line; an unknown group stops the rule alone."""
    (demo.folder / "charter/standards.yaml").write_text("charter: 1\nrules:\n- {id: ours, standard: {}}\n")
    wrong = demo("charter", "lint")
    assert (wrong.code, "standards.yaml:3" in wrong.err, "says no standard" in wrong.err) == (1, True, True), wrong.err
    found = told(demo, r"{most-people: {groups: ['LOWMERE\Nobody Here'], most: 5}}")
    assert list(found) == ["unresolved-name"]
