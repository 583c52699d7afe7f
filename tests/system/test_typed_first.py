"""What newcomers type first is answered, or the right line is said."""

import pytest

from tests.program import Program


def test_who_of_a_host_shows_its_administrators(demo: Program) -> None:
    """As --on does, and says so; of a person it says where to look."""
    by_name = demo("who", "KIOSK-07", "--format", "json")
    assert by_name.json == demo("who", "--on", "KIOSK-07", "--format", "json").json
    assert "is a host" in by_name.err
    of_person = demo("who", "orla.fenn")
    assert (of_person.code, "adzeguard show orla.fenn" in of_person.err) == (2, True)


def test_grant_that_begins_with_a_name(demo: Program) -> None:
    """The right line is said, with what was typed in its place."""
    said = demo("grant", "Service Desk", "password-help", "--over", "OU=Quay")
    assert said.code == 2
    assert "adzeguard grant give 'Service Desk' password-help --over OU=Quay" in " ".join(said.err.split())
    assert "--over OBJECT" in demo("grant", "orla.fenn", "everything").err


@pytest.mark.parametrize("scope", ["domainlocal", "Domain Local", "DOMAIN_LOCAL", "domain-local"])
def test_a_scope_in_any_spelling(demo: Program, scope: str) -> None:
    """Is taken; another word is refused with those there are."""
    made = demo("group", "create", "Tide Watch", "--in", "OU=Groups", "--scope", scope, "--yes")
    assert made.code == 0, made.err
    assert demo("show", "Tide Watch", "--format", "json").json["group_scope"] == "domain local"
    refused = demo("group", "set", "Tide Watch", "--scope", "local", "--yes")
    assert (refused.code, "universal" in refused.err) == (2, True)


@pytest.mark.parametrize(
    "text",
    [
        "group;member\nFirst Aiders;roan.pell\n",
        "\ufeffgroup,member\r\nFirst Aiders,roan.pell\r\n",
        "Group,Member,Until\nFirst Aiders,LOWMERE\\roan.pell,\nFirst Aiders,orla.fenn,2020-01-01\n",
    ],
)
def test_rosters_as_spreadsheets_write_them(demo: Program, text: str) -> None:
    """With semicolons, a byte-order mark, bare names that are clear, and members whose time is over."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: aid, roster: aid.csv, response: mend}\n"
    )
    (demo.folder / "charter/aid.csv").write_text(text)
    assert demo("enact", "--yes").code == 0
    assert demo("show", "First Aiders", "--format", "json").json["members"] == [r"LOWMERE\roan.pell"]


@pytest.mark.parametrize(
    ("row", "says"),
    [
        ("First Aiders,Kiosk Stewards,soon", "'soon' is no day"),
        ("First Aiders,nobody.at.all,", "'nobody.at.all' does not say where it stands"),
        ("First Aiders,roan.pell", "a last day or nothing"),
    ],
)
def test_rosters_that_are_none(demo: Program, row: str, says: str) -> None:
    """Say on which line what is wrong, and change nothing."""
    (demo.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n  - {id: aid, roster: aid.csv, response: mend}\n"
    )
    (demo.folder / "charter/aid.csv").write_text(f"group,member,until\n{row}\n")
    told = demo("charter", "lint")
    assert told.code != 0
    assert says in " ".join((told.out + told.err).split())
    assert "aid.csv:2" in told.out + told.err


@pytest.mark.parametrize(
    ("words", "says"),
    [
        (["members", "Domain Admins"], "For that: adzeguard who GROUP"),
        (["plan"], "For that: adzeguard propose"),
        (["delegate", "Service Desk"], "For that: adzeguard grant give WHO DUTY --over OBJECT"),
        (["local", "add", "KIOSK-01"], "adzeguard group add GROUP MEMBER --on HOST"),
        (["answer", "Q1"], "For that: adzeguard questions answer QUESTION --mend"),
        (["timeline", "Tellers"], "For that: adzeguard history GROUP --drawn"),
        (["checks"], "For that: adzeguard check --list"),
        (["ou", "move", "OU=Quay"], "For that: adzeguard move OU TO"),
        (["who", "--host", "KIOSK-07"], "On a host: --on HOST"),
        (["enact", "--dry-run"], "To see the changes first: adzeguard propose"),
        (["undo"], "See what was enacted: adzeguard journal"),
        (["watch"], "For that: adzeguard round watch"),
        (["settings", "completion"], "Choose from: bash, zsh, fish. It is written: adzeguard settings completion"),
        (["retire", "tidy", "--sid", "S-1-5-21-1-2-3-4"], "is nowhere the SID of a deleted account"),
        (["proposee"], "Did you mean propose?"),
        (["xyzzy"], "See: adzeguard --help"),
        (["group", "list"], "no command 'group list'. For that: adzeguard who --groups"),
        (["group", "ad"], "Did you mean add?"),
        (["trail", "xyzzy"], "There are: aside, follow, import, support"),
        (["grant", "show"], "For that: adzeguard grant list"),
        (["grant", "show", "OU=Quay"], "For that: adzeguard grant list"),
        (["lease", "start", "roan.pell"], "It is written: adzeguard lease start [OPTIONS] PERSON GROUP. See: "),
        (["why", "roan.pell"], "say one group or one host"),
        (["why", "roan.pell", "OU=People"], "is an OU, not a group or host"),
    ],
)
def test_a_word_that_is_no_command(demo: Program, words: list[str], says: str) -> None:
    """One line says what is meant, or what there is; it can be pasted, since no full stop follows a command."""
    told = demo(*words)
    assert (told.code, told.err.count("\n")) == (2, 1)
    assert says in told.err
    assert not told.err.rstrip().endswith(".")


def test_a_near_name_is_asked_about_in_one_sentence(demo: Program) -> None:
    """With its own mark at the end, and the way out behind it."""
    demo("lease", "start", "roan.pell", "Chart Editors", "--for", "1h", "--yes")
    said = demo("lease", "end", "L2").err
    assert said == "adzeguard: no open lease is called 'L2', did you mean 'L1'? See: adzeguard lease list\n"


def test_why_takes_a_group_or_a_host_as_it_is_called(demo: Program) -> None:
    """The same as with --in and --on: 0 where a way leads there, and 3 where none does."""
    for flag, person, target in (("--in", "orla.fenn", r"LOWMERE\Domain Admins"), ("--on", "pontus.reil", "KIOSK-15")):
        said = demo("why", person, target, "--format", "json")
        flagged = demo("why", person, flag, target, "--format", "json")
        assert (said.code, said.json) == (flagged.code, flagged.json)
        assert said.code == (0 if said.json["leads_there"] else 3)
        assert said.json["target"].startswith(target)


def test_compare_without_a_time_is_since_the_collection_before_the_last(demo: Program) -> None:
    """And says of when that was."""
    assert demo("group", "add", "Chart Editors", "roan.pell", "--yes").code == 0
    told = demo("compare", "--format", "json")
    direct = [(row["subject"], row["member"]) for row in told.json if row["direct"]]
    assert (told.code, direct) == (3, [(r"LOWMERE\Chart Editors", r"LOWMERE\roan.pell")])
    assert "Since the collection before the last, of " in told.err


def test_the_workspace_can_be_named_before_the_command(demo: Program) -> None:
    """As after it, also where no command is named; what is no workspace is refused."""
    outside = Program(demo.folder.parent)
    within = demo("find", "orla", "--format", "json").out
    assert outside("--workspace", demo.folder, "find", "orla", "--format", "json").out == within
    assert outside("--workspace", demo.folder).out == demo("status").out
    assert "is not a workspace" in outside("--workspace", demo.folder.parent, "status").err


def test_tomorrow_is_a_day(demo: Program) -> None:
    """Wherever an end is named; it begins at midnight here, and yesterday has no end in it."""
    demo("round")
    left = demo("questions", "answer", "Q1", "--leave-until", "Tomorrow", "--why", "the drill")
    assert left.code == 0, left.err
    assert demo("questions", "answer", "Q2", "--leave-until", "yesterday", "--why", "late").code != 0
    assert "tomorrow, 3d or 2h" in demo("questions", "answer", "Q2", "--leave-until", "soon", "--why", "x").err
