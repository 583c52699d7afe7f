"""Where, when and how accounts sign in, by rules that the directory itself enforces."""

import pytest

from tests.program import Program

LIMITS = r"""charter: 1
rules:
- id: clerks-by-day
  response: mend
  why: Tickets are sold by day.
  accounts: {under: "OU=Booking Office,OU=People", except: ['LOWMERE\cato.lune']}
  logon-hours: {times: "Mon-Sat 07:00-19:00", zone: Asia/Tokyo}
- id: admins-at-the-harbour
  response: mend
  accounts: {inside: 'LOWMERE\Domain Admins', except: ['LOWMERE\Administrator']}
  logon-only-on: {named: [HARBOUR-01, HARBOUR-02]}
- id: one-at-a-kiosk
  response: mend
  accounts: {named: 'LOWMERE\tobin.asker.adm'}
  logon-only-on: {named: KIOSK-01}
- id: admins-with-care
  response: mend
  accounts: {inside: 'LOWMERE\Domain Admins', except: ['LOWMERE\Administrator']}
  account-standard: [not-delegated, smart-card, password-expires]
"""
ADMINS = {"isolde.varn.adm", "tobin.asker.adm", "orla.fenn", "mira.holt.adm", "cato.lune"}


@pytest.fixture
def limited(demo: Program) -> Program:
    """The demo with rules about accounts."""
    (demo.folder / "charter/charter.yaml").write_text(LIMITS)
    return demo


def set_in(program: Program, table: str, line: str) -> None:
    """Add a line to a table of the workspace's settings."""
    path = program.folder / "adzeguard.toml"
    text = path.read_text()
    path.write_text(
        text.replace(f"[{table}]", f"[{table}]\n{line}") if f"[{table}]" in text else f"{text}\n[{table}]\n{line}\n"
    )


def shown(program: Program, name: str) -> dict:
    """What is known of an account."""
    return program("show", name, "--format", "json").json


def test_accounts_are_limited_as_rules_say_and_let_go_again(limited: Program) -> None:
    """The closest rule decides; done, nothing is left to do; withdrawn and undone, the directory is as before."""
    before = (limited.folder / "lowmere.ldif").read_bytes()
    assert limited("charter", "lint").code == 0
    done = limited("enact", "--yes", "--format", "json")
    assert done.code == 0
    assert {row["status"] for row in done.json} == {"verified"}
    by_day = ["Mon-Fri 00:00-10:00, 22:00-24:00", "Sat 00:00-10:00", "Sun 22:00-24:00"]
    assert shown(limited, "nils.fenn")["logon_hours"] == by_day
    assert "logon_hours" not in shown(limited, "cato.lune")
    assert shown(limited, "tobin.asker.adm")["workstations"] == ["KIOSK-01"]
    for name in ADMINS - {"tobin.asker.adm"}:
        assert shown(limited, name)["workstations"] == ["HARBOUR-01", "HARBOUR-02"]
    assert set(shown(limited, "isolde.varn.adm")["signs_in"]) >= {"not-delegated", "smart-card"}
    assert "Nothing to change" in limited("propose").out
    (limited.folder / "charter/charter.yaml").write_text("charter: 1\n")
    withdrawn = limited("enact", "--yes", "--format", "json")
    assert (withdrawn.code, len(withdrawn.json)) == (0, len(done.json))
    assert (limited.folder / "lowmere.ldif").read_bytes() == before
    assert "Nothing to change" in limited("propose").out


def test_what_deviates_is_told_with_what_would_put_it_right(limited: Program) -> None:
    """Each account, each rule, by its check; undone, they deviate again."""
    told = {(f["check"], f["rule"]) for f in limited("check", "--format", "json").json}
    wanted = {
        ("logs-on-any-time", "clerks-by-day"),
        ("logs-on-elsewhere", "admins-at-the-harbour"),
        ("logs-on-elsewhere", "one-at-a-kiosk"),
        ("below-standard", "admins-with-care"),
    }
    assert told >= wanted
    assert limited("enact", "--yes").code == 0
    assert not {f["rule"] for f in limited("check", "--format", "json").json} & {rule for _, rule in wanted}
    assert limited("undo", "--last", "--yes").code == 0
    assert {(f["check"], f["rule"]) for f in limited("check", "--format", "json").json} >= wanted


def test_a_keeper_and_whoever_works_here_are_never_limited(limited: Program) -> None:
    """A rule leaves them out and says so, and a proposal that limits them is refused."""
    text = LIMITS.replace(r", except: ['LOWMERE\Administrator']", "")
    (limited.folder / "charter/charter.yaml").write_text(text)
    left_out = limited("propose", "--format", "json").json["left_out"]
    assert {item["subject"] for item in left_out} == {r"LOWMERE\Administrator"}
    assert {item["reason"] for item in left_out} == {"a keeper is never limited in how it signs in"}
    set_in(limited, "guards", 'operator = "isolde.varn.adm"')
    refused = limited("enact", "--yes")
    assert refused.code == 1
    assert r"it would limit how you (LOWMERE\isolde.varn.adm) sign in" in refused.err
    assert "workstations" not in shown(limited, "isolde.varn.adm")


def test_somebody_must_be_left_who_can_sign_in_anywhere(limited: Program) -> None:
    """Where the keepers are a group, the last of them whom nothing limits is not limited either."""
    set_in(limited, "charter", r"keepers = ['LOWMERE\Domain Admins']")
    text = LIMITS.replace(r", except: ['LOWMERE\Administrator']", "")
    (limited.folder / "charter/charter.yaml").write_text(text)
    refused = limited("enact", "--yes")
    assert (refused.code, "no keeper would be left who can sign in anywhere" in refused.err) == (1, True)


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        ("Mon-Sat 07:00-19:00", "Mon-Sat 07:30-19:00", "is no time of a week with whole hours"),
        ("Mon-Sat 07:00-19:00", "Mun 07:00-19:00", "no day of the week called 'Mun'"),
        ("Asia/Tokyo", "Asia/Atlantis", "zone 'Asia/Atlantis' is no time zone"),
        ("not-delegated", "not-delegatd", "did you mean 'not-delegated'"),
        ("{named: KIOSK-01}", "{named: KIOSK-99}", "there is no host 'KIOSK-99'"),
        ("{named: KIOSK-01}", "{everywhere: true}", "logon-only-on everywhere says nothing"),
        (r"inside: 'LOWMERE\Domain Admins'", r"inside: 'LOWMERE\cato.lune'", "and a group is wanted here"),
        (r"named: 'LOWMERE\tobin.asker.adm'", r"named: 'LOWMERE\Domain Admins'", "and a user is wanted here"),
        (r"accounts: {named: 'LOWMERE\tobin.asker.adm'}", "accounts: {}", "says no accounts"),
    ],
)
def test_a_mistake_in_such_a_rule_is_told_with_its_line(limited: Program, old: str, new: str, said: str) -> None:
    """What is wrong and what would be right, in one line, with file and line."""
    (limited.folder / "charter/charter.yaml").write_text(LIMITS.replace(old, new))
    told = limited("charter", "lint")
    assert told.code in (1, 3)
    words = " ".join((told.out + told.err).split())
    assert said in words
    assert "charter.yaml:" in words


def test_two_rules_at_one_distance_that_disagree_change_nothing(limited: Program) -> None:
    """They are a conflict that is told, for the accounts that both are about."""
    text = LIMITS.replace("- id: one-at-a-kiosk", "- id: other-admins").replace(
        r"{named: 'LOWMERE\tobin.asker.adm'}", r"{inside: 'LOWMERE\Domain Admins', except: ['LOWMERE\Administrator']}"
    )
    (limited.folder / "charter/charter.yaml").write_text(text)
    conflicts = [f for f in limited("check", "--format", "json").json if f["check"] == "rule-conflict"]
    assert {f["subject"].rpartition("\\")[2] for f in conflicts} == ADMINS
    assert limited("enact", "--yes").code == 0
    assert "workstations" not in shown(limited, "orla.fenn")


def test_hosts_that_nothing_takes_in_and_lists_that_are_too_long_are_told(limited: Program) -> None:
    """An empty list would let them log on anywhere, and the directory holds so many names."""
    text = LIMITS.replace("{named: [HARBOUR-01, HARBOUR-02]}", '{under: "OU=Galley,OU=People"}')
    (limited.folder / "charter/charter.yaml").write_text(text)
    reasons = {item["reason"] for item in limited("propose", "--format", "json").json["left_out"]}
    assert reasons == {"no host is in its scope, and an empty list lets it log on anywhere"}


PUT_AWAY = r"""charter: 1
rules:
- id: put-away
  response: mend
  why: Who has left opens nothing.
  accounts: {named: 'LOWMERE\dessa.calder'}
  memberships: {only: ['LOWMERE\First Aiders']}
  logon-hours: none
"""


def test_an_account_that_is_put_away_is_in_no_group_and_never_logs_on(demo: Program) -> None:
    """It leaves every group but those of the rule, and gets its hours back when the rule goes; the groups stay left."""
    demo("collect")

    def groups() -> set[str]:
        shown = demo("show", "dessa.calder", "--format", "json").json
        return {row["name"] if isinstance(row, dict) else row for row in shown["member_of"]}

    before = groups()
    (demo.folder / "charter/charter.yaml").write_text(PUT_AWAY)
    found = [row for row in demo("check", "--format", "json").json if row["rule"] == "put-away"]
    assert {row["check"] for row in found} == {"member-elsewhere", "logs-on-any-time"}
    assert any("is to log on never" in row["message"] for row in found)
    done = demo("enact", "--yes", "--format", "json")
    assert {row["status"] for row in done.json} == {"verified"}, done.err
    assert len(groups()) < len(before)
    assert "Nothing to change" in demo("propose").out
    assert demo("show", "dessa.calder", "--format", "json").json["logon_hours"] == ["never"]
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    assert demo("enact", "--yes").code == 0
    assert "logon_hours" not in demo("show", "dessa.calder", "--format", "json").json
    assert len(groups()) < len(before)


def test_a_rule_about_the_group_comes_before_one_about_the_account(demo: Program) -> None:
    """They do not put it in and take it out in turn: it stays, and that is said."""
    more = r"""- id: crew
  group: 'LOWMERE\Radio Watch'
  response: mend
  include: ['LOWMERE\dessa.calder']
"""
    (demo.folder / "charter/charter.yaml").write_text(PUT_AWAY + more)
    assert demo("enact", "--yes").code == 0
    left = demo("propose", "--format", "json").json
    assert left["changes"] == []
    assert "rule crew puts it there" in {one["reason"] for one in left["left_out"]}
