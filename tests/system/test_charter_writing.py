"""Rules that commands write into the charter, and versions of it that are compared."""

import os
import re
import subprocess
from pathlib import Path

import pytest

from tests.program import Program

CHARTER = "charter/charter.yaml"


def charter_of(program: Program) -> str:
    """The text of the one file of the charter."""
    return (program.folder / CHARTER).read_text()


def finding(program: Program, check: str, subject: str = "") -> dict[str, str]:
    """The first finding of a check."""
    rows = program("check", "--format", "json").json
    return next(row for row in rows if row["check"] == check and subject in row["subject"])


def committed(program: Program) -> None:
    """Put the charter under version control as it stands."""
    who = {"GIT_AUTHOR_NAME": "a", "GIT_AUTHOR_EMAIL": "a@x", "GIT_COMMITTER_NAME": "a", "GIT_COMMITTER_EMAIL": "a@x"}
    for words in (("init", "-q"), ("add", "charter"), ("commit", "-q", "-m", "as agreed")):
        subprocess.run(["git", *words], cwd=program.folder, check=True, env=os.environ | who)


def test_a_rule_is_written_with_whole_names_and_followed(demo: Program) -> None:
    """Names get their domain; what the rule finds is shown before, and is what check finds after."""
    before = charter_of(demo)
    waiting = demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--owner", "bridge@lowmere.example")
    assert (waiting.code, charter_of(demo)) == (2, before)
    assert "orla.fenn is missing" in waiting.out
    made = demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--id", "radio", "--yes")
    assert made.code == 0
    assert charter_of(demo).startswith(before.rstrip("\n"))
    assert r"include: [LOWMERE\orla.fenn]" in charter_of(demo)
    found = demo("check", "--rule", "radio", "--format", "json").json
    assert [row["check"] for row in found] == ["missing-member"]
    assert demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--id", "radio", "--yes").code == 2


def test_a_list_of_exactly_these_shows_whom_it_takes_out(demo: Program) -> None:
    """--only with mend says who would be removed, before anything is written."""
    shown = demo("charter", "add", "Radio Watch", "--only", "isolde.varn", "--response", "mend")
    assert shown.code == 2
    assert r"remove LOWMERE\corin.varn from LOWMERE\Radio Watch" in shown.out
    assert "Out of" in shown.out


@pytest.mark.parametrize(
    ("words", "said"),
    [
        (("Kiosk Stewards", "--include", "orla.fenn"), "a directory object and of a local group"),
        (("--on", "QUAY-01", "--only", "administrator"), r"local\administrator"),
        (("Radio Watch", "--include", "nobody.such"), "nobody.such"),
        (("--on", "QUAY-99", "--include", "Domain Admins"), "QUAY-99"),
        (("Radio Watch",), "demands nothing"),
        (("--include", "orla.fenn"), "says no group"),
        (("Radio Watch", "--nobody", "--only", "orla.fenn"), "contradicts"),
        (("orla.fenn", "--include", "corin.varn"), "not a group"),
        (("Radio Watch", "--include", "orla.fenn", "--file", "../evil.yaml"), "no file of the charter"),
        (("Radio Watch", "--include", "orla.fenn", "--id", "Not An Id"), "Not An Id"),
        (("Domain Admins", "--only", r"local\administrator"), "of a host"),
    ],
)
def test_a_rule_that_could_not_be_followed_is_not_written(demo: Program, words: tuple[str, ...], said: str) -> None:
    """Names that are none, or two, and demands that make no rule are refused with what to write; the file stays."""
    before = charter_of(demo)
    done = demo("charter", "add", *words, "--yes")
    assert done.code in (1, 2)
    assert said in done.err
    assert charter_of(demo) == before
    assert sorted(path.name for path in (demo.folder / "charter").iterdir()) == ["charter.yaml"]


def test_a_host_gets_a_rule_of_its_own_for_a_member_that_is_allowed(demo: Program) -> None:
    """A member of a local group is allowed on its host alone, and elsewhere it is still found."""
    for host in ("CONSOLE-01", "CONSOLE-02"):
        assert demo("group", "add", "administrators", "orla.fenn", "--on", host, "--yes").code == 0
    keep = ("--only", "Domain Admins", "--include", r"local\administrator")
    assert demo("charter", "add", "--under", "Bridge Consoles", *keep, "--id", "strict", "--yes").code == 0
    many = [
        row for row in demo("check", "--rule", "strict", "--format", "json").json if row["check"] == "unlisted-member"
    ]
    assert len(many) > 1
    assert demo("charter", "allow", many[0]["fingerprint"][:8], "--why", "They clean it", "--yes").code == 0
    after = demo("check", "--rule", "strict", "--format", "json").json
    gone = {row["fingerprint"] for row in many} - {row["fingerprint"] for row in after}
    assert gone == {many[0]["fingerprint"]}
    assert "why: They clean it" in charter_of(demo)


def test_a_member_is_allowed_for_a_time_and_for_good(demo: Program) -> None:
    """With --until the member stands under lease, without it in the list; both times the finding is none any more."""
    assert demo("charter", "add", "Radio Watch", "--nobody", "--id", "empty", "--yes").code == 0
    first = finding(demo, "unlisted-member", "Radio Watch")
    assert demo("charter", "allow", first["fingerprint"], "--until", "2099-01-31", "--yes").code == 0
    assert "2099-01-31" in charter_of(demo)
    second = finding(demo, "unlisted-member", "Radio Watch")
    assert second["fingerprint"] != first["fingerprint"]
    assert demo("charter", "allow", second["fingerprint"], "--yes").code == 0
    left = demo("check", "--rule", "empty", "--format", "json").json
    assert not {first["fingerprint"], second["fingerprint"]} & {row["fingerprint"] for row in left}


def test_an_excluded_member_is_allowed_only_wherever_the_rule_holds(demo: Program) -> None:
    """The rule excludes and includes: one host cannot just be excepted; --everywhere takes the name off the list."""
    about = finding(demo, "excluded-member")
    refused = demo("charter", "allow", about["fingerprint"], "--yes")
    assert (refused.code, "--everywhere" in refused.err) == (2, True)
    assert demo("charter", "allow", about["fingerprint"], "--everywhere", "--yes").code == 0
    assert "exclude:" not in charter_of(demo)


def test_a_grant_that_stands_is_written_down(demo: Program) -> None:
    """The finding of a grant that no rule says becomes the rule that says it, with the reason."""
    about = finding(demo, "undocumented-grant")
    assert demo("charter", "allow", about["fingerprint"], "--why", "They lead: shifts", "--yes").code == 0
    assert "They lead: shifts" in charter_of(demo)
    after = demo("check", "--format", "json").json
    assert about["fingerprint"] not in {row["fingerprint"] for row in after}


def test_what_no_entry_allows_is_said(demo: Program) -> None:
    """A finding of a check without a rule, and one that is none, are refused with another way."""
    about = finding(demo, "wide-administrators")
    assert "questions waivers" in demo("charter", "allow", about["fingerprint"], "--yes").err
    assert "nothing that is found now" in demo("charter", "allow", "0123456789abcdef", "--yes").err


def test_a_rule_goes_with_its_comment_and_what_it_put_in_is_withdrawn(demo: Program) -> None:
    """What follows is said before: the withdrawal of what the rule had put in place."""
    assert (
        demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--response", "mend", "--id", "r", "--yes").code
        == 0
    )
    assert demo("enact", "--rule", "r", "--yes").code == 0
    before = charter_of(demo)
    shown = demo("charter", "remove", "r")
    assert (shown.code, charter_of(demo)) == (2, before)
    assert r"remove LOWMERE\orla.fenn from LOWMERE\Radio Watch" in shown.out
    assert demo("charter", "remove", "r", "--yes").code == 0
    assert "Radio Watch" not in charter_of(demo)
    assert "did you mean" in demo("charter", "remove", "kiosk-administrator", "--yes").err.casefold()


def test_a_file_that_was_changed_meanwhile_is_left(demo: Program, monkeypatch: pytest.MonkeyPatch) -> None:
    """Somebody saves the file while the question is on the screen: nothing of theirs is lost."""
    import adzeguard.cli.charter_rules as rules

    def agree(_question: str, _waits: str) -> None:
        (demo.folder / CHARTER).write_text(charter_of(demo) + "# saved meanwhile\n")

    monkeypatch.setattr(rules, "agree", agree)
    done = demo("charter", "add", "Radio Watch", "--include", "orla.fenn")
    assert (done.code, "changed meanwhile" in done.err) == (2, True)
    assert charter_of(demo).endswith("# saved meanwhile\n")
    assert "orla.fenn" not in charter_of(demo)


def test_versions_are_compared_by_what_would_follow(demo: Program) -> None:
    """Against the revision: the rule, its changes, who gains and loses, and findings; equal versions end with 0."""
    committed(demo)
    assert demo("charter", "diff").code == 0
    demo("charter", "add", "Radio Watch", "--only", "isolde.varn", "--response", "mend", "--id", "r", "--yes")
    other = demo("charter", "diff", "HEAD", "--format", "json")
    assert other.code == 3
    assert [(row["rule"], row["change"]) for row in other.json["rules"]] == [("r", "new")]
    orders = {row["order"] for row in other.json["changes"] if row["effect"] == "made"}
    assert r"add LOWMERE\isolde.varn to LOWMERE\Radio Watch" in orders
    assert other.json["impact"]["groups"][0]["gains"] == [r"LOWMERE\isolde.varn"]
    assert {row["check"] for row in other.json["findings"]} == {"missing-member", "unlisted-member"}
    back = demo("charter", "diff", "charter", "HEAD", "--format", "json").json
    assert {row["effect"] for row in back["changes"]} == {"no longer made"}
    assert [(row["rule"], row["change"]) for row in back["rules"]] == [("r", "gone")]


def test_what_guards_would_refuse_is_said(demo: Program, tmp_path: Path) -> None:
    """A file in the place of one of the charter: its changes would lock the keepers out, and the comparison says so."""
    text = charter_of(demo)
    lines = ["  - id: shut", "    group: LOWMERE\\Domain Admins", "    only: []", "    response: mend", ""]
    changed = tmp_path / "charter.yaml"
    changed.write_text(text.rstrip("\n") + "\n" + "\n".join(lines))
    done = demo("charter", "diff", "charter", str(changed), "--format", "json")
    assert done.code == 3
    assert done.json["sizes"] or done.json["refusals"] or done.json["findings"]
    assert {row["rule"] for row in done.json["rules"]} == {"shut"}


def test_markdown_escapes_what_a_forge_acts_on(demo: Program) -> None:
    """Names with bars, stars and at-signs neither break the table nor notify anybody."""
    committed(demo)
    text = charter_of(demo)
    (demo.folder / CHARTER).write_text(text.replace("bridge@lowmere.example", "all|*crew*@lowmere.example"))
    shown = demo("charter", "diff", "--format", "markdown").out
    assert r"all\|\*crew\*&#64;lowmere.example" in shown
    rows = [line for line in shown.splitlines() if line.startswith("|")]
    assert len({len(re.findall(r"(?<!\\)\|", row)) for row in rows[:4]}) == 1


@pytest.mark.parametrize("named", ["nonsense", "-rf", "HEAD:charter"])
def test_a_version_that_is_none_is_said(demo: Program, named: str) -> None:
    """No folder, no file and no revision: one line, and the ways to name one."""
    committed(demo)
    done = demo("charter", "diff", "--", named)
    assert (done.code, "revision" in done.err, "Traceback" in done.err) == (2, True, False)


def test_a_revision_is_read_without_running_what_the_repository_names(demo: Program) -> None:
    """Filters of the repository are not run, and links in it are not followed."""
    committed(demo)
    ran = demo.folder / "ran"
    (demo.folder / ".gitattributes").write_text("*.yaml filter=evil diff=evil\n")
    for key in ("filter.evil.smudge", "filter.evil.clean", "diff.evil.textconv", "core.fsmonitor"):
        subprocess.run(["git", "config", key, f"touch {ran}; cat"], cwd=demo.folder, check=True)
    assert demo("charter", "diff", "HEAD").code == 0
    assert not ran.exists()


def test_mistakes_are_one_line_each_with_their_place(demo: Program) -> None:
    """For editors: file, line, rule and message; a charter that cannot be read has them too, and ends with 1."""
    text = charter_of(demo)
    (demo.folder / CHARTER).write_text(text.replace(r"LOWMERE\Laptop Helpers", r"LOWMERE\Laptop Halpers"))
    [mistake] = demo("charter", "lint", "--format", "json").json
    assert (mistake["file"], mistake["rule"], mistake["check"]) == (CHARTER, "laptop-helpers", "unresolved-name")
    assert "Laptop Halpers" in text.replace("Helpers", "Halpers").splitlines()[mistake["line"] - 1]
    shown = demo("charter", "lint")
    assert (shown.code, len(shown.out.splitlines())) == (3, 1)
    (demo.folder / CHARTER).write_text(text.replace("response: mend", "response: mended", 1))
    broken = demo("charter", "lint", "--format", "json")
    assert broken.code == 1
    assert (broken.json[0]["check"], broken.json[0]["line"] is not None) == ("unreadable", True)


def test_a_file_keeps_its_line_ends_and_its_mode(demo: Program) -> None:
    """Written on another system, with a carriage return at each end: none is lost, and others may go on reading it."""
    charter = demo.folder / CHARTER
    charter.write_bytes(charter.read_bytes().replace(b"\n", b"\r\n"))
    charter.chmod(0o644)
    before = charter.read_bytes()
    assert demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--yes").code == 0
    after = charter.read_bytes()
    assert after.startswith(before.rstrip())
    assert after.count(b"\n") == after.count(b"\r\n")
    assert charter.stat().st_mode & 0o777 == 0o644


def test_nothing_in_the_charter_steers_the_terminal(demo: Program) -> None:
    """What turns the direction of a line is shown as what it is, in the lines that change and in mistakes."""
    turned = "crew\u202etsol"
    shown = demo("charter", "add", "Radio Watch", "--include", "orla.fenn", "--why", turned)
    assert "\u202e" not in shown.out
    assert "\ufffd" in shown.out
    (demo.folder / CHARTER).write_text(charter_of(demo).replace(r"LOWMERE\Laptop Helpers", "LOWMERE\\" + turned))
    assert "\u202e" not in demo("charter", "lint").out
