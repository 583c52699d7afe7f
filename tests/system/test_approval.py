"""A second pair of eyes: proposals that wait for somebody else's yes."""

import getpass
import json
import subprocess
import sys
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from tests.program import Program

ADD = ("group", "add", r"LOWMERE\Chart Editors", "roan.pell")


@pytest.fixture
def guarded(demo: Program) -> Program:
    """The demo, where one group, some hosts and one kind of change need a yes of isolde, or of who works here."""
    for name in ("isolde", "mine", "stranger"):
        subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", demo.folder / name], check=True)
    public = {name: (demo.folder / f"{name}.pub").read_text() for name in ("isolde", "mine")}
    lines = f"isolde.varn@lowmere.example {public['isolde']}{getpass.getuser()} {public['mine']}"
    (demo.folder / "signers").write_text(lines)
    with (demo.folder / "adzeguard.toml").open("a") as settings:
        settings.write(
            "\n[approval]\n"
            r"groups = ['LOWMERE\Chart Editors']"
            '\nhosts = ["console-*"]\nchanges = ["delete"]\nsigners = "signers"\n'
        )
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    return demo


def proposed(program: Program, *command: str) -> Path:
    """Propose something into a file."""
    file = program.folder / "p.json"
    file.unlink(missing_ok=True)
    done = program(*command, "--only-propose", file)
    assert done.code == 3, done.err
    return file


def approved(program: Program, file: Path, key: str = "isolde", code: int = 0) -> str:
    """Let somebody say yes, and return what was said."""
    done = program("approve", file, "--key", program.folder / key, "--yes")
    assert done.code == code, done.err
    return done.err


def members(program: Program) -> set[str]:
    """Who is in the group."""
    return {m["name"] for m in program("who", r"LOWMERE\Chart Editors", "--format", "json").json}


def test_nothing_is_enacted_before_somebody_else_says_yes(guarded: Program) -> None:
    """Proposed, approved with a key, enacted; who approved stands in the journal, with the signature."""
    refused = guarded(*ADD, "--yes")
    assert (refused.code, "somebody else's yes" in refused.err) == (1, True)
    file = proposed(guarded, *ADD)
    assert "somebody else's yes" in guarded("enact", file, "--yes").err
    assert "roan.pell" not in members(guarded)
    assert "isolde.varn@lowmere.example has approved" in approved(guarded, file)
    assert guarded("enact", file, "--yes").code == 0
    assert "roan.pell" in members(guarded)
    begun = next(row for row in guarded("journal", "--format", "json").json if row["kind"] == "begin")
    assert begun["body"]["approval"]["by"] == "isolde.varn@lowmere.example"
    assert "BEGIN SSH SIGNATURE" in begun["body"]["approval"]["signature"]
    assert guarded("journal", "verify").code == 0


def test_ssh_keygen_can_sign_too(guarded: Program) -> None:
    """As with an agent or a key on hardware: its signature is looked at and put beside the proposal."""
    file = proposed(guarded, *ADD)
    sign = ["ssh-keygen", "-Y", "sign", "-q", "-n", "adzeguard-proposal", "-f", guarded.folder / "isolde", file]
    subprocess.run(sign, check=True, capture_output=True)
    assert guarded("approve", file, "--signature", f"{file}.sig", "--yes").code == 0
    assert guarded("enact", file, "--yes").code == 0


def test_any_byte_of_an_approved_proposal_counts(guarded: Program) -> None:
    """Also a space: with one changed the approval counts no more, and nothing is enacted."""
    file = proposed(guarded, *ADD)
    approved(guarded, file)
    content = file.read_bytes()
    other = content.replace(b"roan.pell", b"orla.fenn")
    for changed in (content + b" ", content.replace(b'"made_by"', b'"made_by" ', 1), other):
        file.write_bytes(changed)
        refused = guarded("enact", file, "--yes")
        assert refused.code == 1, refused.err
        assert "not over this content" in refused.err or "says" in refused.err
    file.write_bytes(content)
    assert "roan.pell" not in members(guarded)
    assert guarded("enact", file, "--yes").code == 0


def test_whose_yes_does_not_count(guarded: Program) -> None:
    """One's own, a stranger's, and one under a proposal that is too old."""
    file = proposed(guarded, *ADD)
    assert "cannot approve" in approved(guarded, file, "mine", 1)
    assert "none of the allowed signers" in approved(guarded, file, "stranger", 1)
    whole = json.loads(file.read_text())
    whole["made_at"] = (datetime.now(UTC) - timedelta(days=8)).isoformat()
    file.write_text(json.dumps(whole))
    assert "more than 7 days ago" in approved(guarded, file, code=1)
    assert not (guarded.folder / "p.json.approved").exists()


def test_groups_that_lead_in_hosts_and_kinds_need_a_yes_too(guarded: Program) -> None:
    """What leads into a named group, a host of a named pattern, a named kind of change; and nothing else does."""
    settings = guarded.folder / "adzeguard.toml"
    assert guarded("group", "add", r"LOWMERE\Kiosk Stewards", "roan.pell", "--yes").code == 0
    nested = proposed(guarded, "group", "add", r"LOWMERE\Chart Editors", r"LOWMERE\Kiosk Stewards")
    approved(guarded, nested)
    assert guarded("enact", nested, "--yes").code == 0
    for command in (
        ("group", "add", r"LOWMERE\Kiosk Stewards", "hedda.morrow"),
        ("group", "add", "--on", "CONSOLE-03", "administrators", "roan.pell"),
        ("group", "delete", r"LOWMERE\Chart Readers"),
    ):
        refused = guarded(*command, "--yes")
        assert (refused.code, "somebody else's yes" in refused.err) == (1, True), (command, refused.err)
    settings.write_text(settings.read_text().replace('"delete"', '"deletes"'))
    wrong = guarded(*ADD, "--yes")
    assert (wrong.code, "did you mean 'delete'" in wrong.err) == (1, True)


def test_a_lease_is_given_with_a_yes_and_ends_without(guarded: Program) -> None:
    """Its end was part of it, by hand and by a round."""
    settings = guarded.folder / "adzeguard.toml"
    text = settings.read_text()
    settings.write_text(text.replace("[approval]", "[approval]\nwithout = true"))
    given = ("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--for", "1h", "--yes")
    assert guarded(*given).code == 1
    assert guarded(*given, "--without-approval", "a drill").code == 0
    settings.write_text(text)
    assert guarded("lease", "end", guarded("lease", "list", "--format", "json").json[0]["id"], "--yes").code == 0
    assert "roan.pell" not in members(guarded)


def test_breaking_glass_tells_all_owners(guarded: Program) -> None:
    """Only where the workspace allows it; they are told before anything is changed, and the journal knows why."""
    glass = (*ADD, "--yes", "--without-approval", "the yard is on fire")
    refused = guarded(*glass)
    assert (refused.code, "without approval" in refused.err) == (2, True)
    settings = guarded.folder / "adzeguard.toml"
    owned = settings.read_text().replace("[questions]", '[questions]\nowner = "security@lowmere.example"')
    more = '\n[tell.lines]\nfile = "told.jsonl"\n'
    settings.write_text(owned.replace("[approval]", "[approval]\nwithout = true") + more)
    rule = "{id: r, owner: o@lowmere.example, group: 'LOWMERE\\Chart Readers', exclude: [roan.pell]}"
    charter = f"charter: 1\nrules: [{rule}]\n"
    (guarded.folder / "charter/charter.yaml").write_text(charter)
    done = guarded(*glass)
    assert (done.code, "Glass is broken" in done.err) == (0, True), done.err
    told = [json.loads(line) for line in (guarded.folder / "told.jsonl").read_text().splitlines()]
    assert {one["to"] for one in told} == {"security@lowmere.example", "o@lowmere.example"}
    assert all(one["kind"] == "alarm" and "the yard is on fire" in one["text"] for one in told)
    assert all("add LOWMERE\\roan.pell" in one["text"] for one in told)
    begun = next(row for row in guarded("journal", "--format", "json").json if row["kind"] == "begin")
    assert begun["body"]["approval"] == {"by": "nobody", "why": "the yard is on fire"}


def test_a_round_mends_around_what_waits_for_a_yes(guarded: Program) -> None:
    """What needs none is mended; what waits is told, with the command that proposes it."""
    editors = r"{id: editors, group: 'LOWMERE\Chart Editors', include: ['LOWMERE\roan.pell'], response: mend}"
    aiders = r"{id: aiders, group: 'LOWMERE\First Aiders', include: ['LOWMERE\elof.kell'], response: mend}"
    (guarded.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules: [{editors}, {aiders}]\n")
    made = guarded("round", "--format", "json")
    assert (made.code, made.json["mended"], len(made.json["refusals"])) == (4, 1, 1)
    assert "adzeguard propose --rule editors --output FILE" in made.json["refusals"][0]
    assert "elof.kell" in {m["name"] for m in guarded("who", "First Aiders", "--format", "json").json}
    assert guarded("propose", "--rule", "editors", "--output", "p.json").code == 3
    approved(guarded, guarded.folder / "p.json")
    assert guarded("enact", "p.json", "--yes").code == 0
    assert "roan.pell" in members(guarded)
    assert guarded("round").code == 0


def test_a_yes_counts_once(guarded: Program) -> None:
    """Enacted and taken back, the proposal is not enacted again by the old signature, however that is written."""
    file = proposed(guarded, *ADD)
    approved(guarded, file)
    kept = file.read_bytes(), (guarded.folder / "p.json.approved").read_text()
    assert guarded("enact", file, "--yes").code == 0
    back = proposed(guarded, "undo", "--last")
    approved(guarded, back)
    assert guarded("enact", back, "--yes").code == 0
    assert "roan.pell" not in members(guarded)
    file.write_bytes(kept[0])
    (guarded.folder / "p.json.approved").write_text(kept[1].replace("\n", "\n\n", 1))
    again = guarded("enact", file, "--yes")
    assert (again.code, "said yes to this once, and it was made" in again.err) == (1, True), again.err
    assert "roan.pell" not in members(guarded)
    approved(guarded, proposed(guarded, *ADD))
    assert guarded("enact", file, "--yes").code == 0


def test_without_its_extra_approving_is_one_line(guarded: Program, monkeypatch: pytest.MonkeyPatch) -> None:
    """To approve, and to enact what was approved; it names what to install."""
    file = proposed(guarded, *ADD)
    approved(guarded, file)
    for name in list(sys.modules):
        if name.startswith("cryptography"):
            monkeypatch.setitem(sys.modules, name, None)
        elif name.startswith(("adzeguard.signing", "adzeguard.workflows.approval")):
            monkeypatch.delitem(sys.modules, name)
    for command in (("approve", file, "--key", guarded.folder / "isolde", "--yes"), ("enact", file, "--yes")):
        told = guarded(*command)
        assert (told.code, told.err.count("\n")) == (1, 1), told.err
        assert "pip install 'adzeguard[approval]'" in told.err
