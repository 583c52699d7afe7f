"""Whatever is wrong is told in one line with its cause and the way out, and never with a traceback."""

import json
from pathlib import Path

import pytest

from tests.program import Program


def replace(path: Path, old: str, new: str) -> None:
    """Change a file of the workspace."""
    text = path.read_text()
    assert old in text
    path.write_text(text.replace(old, new, 1))


@pytest.mark.parametrize(
    ("command", "code", "said"),
    [
        (["who", r"LOWMERE\Domian Admins"], 2, r"LOWMERE\Domain Admins (group in CN=Users"),
        (["who", "domain"], 2, "Give the whole name"),
        (["who", r"ELSEWHERE\Zzyzx"], 2, "there is no domain 'ELSEWHERE' here"),
        (["who", "qqqqqq"], 2, "adzeguard find"),
        (["who", "Kiosk Stewards"], 2, "is the name of a directory object and of a local group"),
        (["who", "orla.fenn"], 2, "is a user, not a group"),
        (["who", "--on", "KIOSK-77"], 2, "Near are: KIOSK-"),
        (["who", "--on", "KIOSK-22"], 2, "it has never answered"),
        (["who", "--on", "KIOSK-01", "--local-group", "admins"], 2, "It has: "),
        (["who"], 2, "name one group"),
        (["why", "orla.fenn"], 2, "say one group or one host"),
        (["show", "S-1-5-21-x"], 1, "is not a SID"),
        (["check", "--rule", "two-admins"], 2, "Did you mean two-administrators?"),
        (["enact", "nowhere.json"], 1, "cannot be read"),
        (["enact", "lowmere.ldif"], 1, "not a proposal"),
        (["collcet"], 2, "Did you mean collect?"),
        (["who", "--format", "xml"], 2, "'xml' is not one of"),
        (["--workspace"], 2, "requires an argument"),
        (["--workspaces"], 2, "No such option"),
    ],
)
def test_a_wrong_command_is_answered_with_the_way_out(
    demo_as_made: Path, command: list[str], code: int, said: str
) -> None:
    """Wrong names, options and files end with 1 or 2 and a hint."""
    ran = Program(demo_as_made)(*command)

    assert ran.code == code, ran.err
    assert said in ran.err
    assert ran.out == ""


def test_two_of_the_same_name_are_listed_and_none_is_taken(demo: Program) -> None:
    """Between two objects of one name nothing is guessed, and no rule that names them is followed."""
    replace(demo.folder / "lowmere.ldif", "sAMAccountName: roan.pell", "sAMAccountName: signe.quist")
    demo("collect")
    ran = demo("why", r"LOWMERE\signe.quist", "--on", "KIOSK-01")

    assert ran.code == 2
    assert ran.err.count("user in OU=Shore Office") == 2


@pytest.mark.parametrize(
    ("file", "old", "new", "command", "said"),
    [
        ("lowmere.ldif", "sAMAccountName: roan.pell", "sAMAccountName roan.pell", "collect", "lowmere.ldif:"),
        ("lowmere.ldif", "objectClass: domainDNS", "objectClass: dnsDomain", "collect", "holds no domain object"),
        (
            "charter/charter.yaml",
            "only: []",
            "onyl: []",
            "check",
            "charter/charter.yaml:22: rule break-glass-stays-empty: unknown key 'onyl', did you mean 'only'?",
        ),
        ("charter/charter.yaml", "charter: 1", "charter: [", "propose", "charter/charter.yaml:"),
        (
            "adzeguard.toml",
            'kind = "ldif"',
            'kind = "lidf"',
            "collect",
            "there is no driver 'lidf'. Did you mean ldif?",
        ),
        ("adzeguard.toml", "[hosts]", "[host]", "collect", "did you mean hosts?"),
        ("adzeguard.toml", 'file = "lowmere.ldif"', 'file = "gone.ldif"', "collect", "gone.ldif cannot be read"),
    ],
)
def test_a_broken_file_is_named_with_its_line(
    demo: Program, file: str, old: str, new: str, command: str, said: str
) -> None:
    """A mistake in a file of the workspace ends with 1, names the place, and leaves the last collection in force."""
    replace(demo.folder / file, old, new)
    ran = demo(command)

    assert ran.code == 1
    assert said in ran.err
    assert len(ran.err.strip().splitlines()) == 1


@pytest.mark.parametrize(
    ("content", "said"),
    [
        ("no json", "KIOSK-03.json: Invalid JSON"),
        ('{"host": "KIOSK-03"}', "machine_sid: Field required"),
        ('{"host": "KIOSK-03", "machine_sid": "S-1-x"}', "is not a SID"),
        ("[" * 100_000, "KIOSK-03.json"),
    ],
)
def test_a_host_file_that_is_none_is_a_host_that_could_not_be_read(demo: Program, content: str, said: str) -> None:
    """The other hosts are read; this one keeps what was known of it, and check tells why."""
    (demo.folder / "hosts/KIOSK-03.json").write_text(content)
    ran = demo("collect")

    assert ran.code == 4
    assert said in ran.err
    assert "Read 61 hosts; 3 did not answer." in ran.out
    trouble = [f for f in demo("check", "--format", "json").json if f["subject"] == "KIOSK-03"]
    assert said in trouble[0]["message"]
    assert demo("who", "--on", "KIOSK-03").code == 0


def test_a_workspace_is_made_only_from_what_exists_and_never_twice(tmp_path: Path, demo_as_made: Path) -> None:
    """The command checks what it is given, never blocks without a terminal, and its files are private."""
    program = Program(tmp_path)
    ldif, hosts = demo_as_made / "lowmere.ldif", demo_as_made / "hosts"

    for arguments, said in (
        (["w"], "no directory is named"),
        (["w", "--ldif", "gone.ldif"], "there is no file gone.ldif"),
        (["w", "--ldif", ldif, "--ldap", "ldaps://x"], "exclude each other"),
        (["w", "--ldap", "ldaps://x"], "--ldap needs --bind-as"),
        (["w", "--ldap", "http://x", "--bind-as", "a"], "is no address of a directory server"),
        (["w", "--ldif", ldif, "--standin-hosts", "gone"], "there is no folder gone"),
    ):
        ran = program("init", *arguments)
        assert (ran.code in (1, 2), said in ran.err) == (True, True), ran.err
    unencrypted = program("init", "w", "--ldap", "ldap://x", "--bind-as", "a")
    assert "unencrypted" in unencrypted.err
    assert not (tmp_path / "w").exists()
    assert program("init", "w", "--ldif", ldif, "--standin-hosts", hosts).code == 0
    assert program("init", "w", "--ldif", ldif).code == 1
    assert program("who", "x").code == 1  # not in a workspace
    assert program("who", "x", "--workspace", "w").err.strip().endswith("Run: adzeguard collect")
    program("collect", "--workspace", "w")
    for path in (tmp_path / "w").rglob("*"):
        assert path.stat().st_mode & 0o077 == 0, path
    assert program("charter", "lint", "--workspace", "w").out == "0 rules, nothing wrong.\n"


def test_a_second_process_is_told_who_holds_the_workspace(demo: Program) -> None:
    """While one process changes things, another ends at once and names it."""
    from adzeguard.store.file_lock import held_file

    with held_file(demo.folder / ".adzeguard/lock", "enact"):
        ran = demo("collect")

    assert (ran.code, "adzeguard enact (process" in ran.err) == (1, True)
    assert demo("collect").code == 4


def test_a_proposal_for_another_domain_or_with_strange_parts_is_refused(demo: Program) -> None:
    """A proposal file is checked like any other input."""
    demo("propose", "--output", "p.json")
    path = demo.folder / "p.json"
    proposal = json.loads(path.read_text())
    path.write_text(json.dumps(proposal | {"domain_sid": "S-1-5-21-1-1-1"}))
    assert "made for another domain" in demo("enact", "p.json", "--yes").err
    path.write_text(json.dumps(proposal | {"changes": [proposal["changes"][0] | {"kind": "format-disk"}]}))
    assert "changes.0: there is no change of the kind 'format-disk'" in demo("enact", "p.json", "--yes").err
    quay = {"id": "c1", "rule": "r", "object": {"name": "Quay", "dn": "OU=Quay,DC=lowmere,DC=example"}, "words": "w"}
    for odd, said in (
        ({"kind": "rights", "gives": ["zz"]}, "changes.0: gives.0"),
        ({"kind": "rights", "gives": ["0000ff"]}, "gives.0: an access control entry is cut short"),
        (
            {"kind": "set", "attributes": [{"name": "groupType", "before": [], "after": ["base64:!"]}]},
            "after.0: a value is not base64",
        ),
        ({"kind": "move", "to": "nowhere"}, "says 'w', and would move OU=Quay to nowhere"),
        ({"kind": "create", "attributes": []}, "something else than a group or an OU"),
        (
            {"kind": "delete", "object": {"name": "top", "dn": "DC=lowmere,DC=example", "sid": proposal["domain_sid"]}},
            "says 'top'",
        ),
    ):
        path.write_text(json.dumps(proposal | {"changes": [quay | odd]}))
        ran = demo("enact", "p.json", "--yes")
        assert ran.code == 1, odd
        assert said in ran.out + ran.err, odd
