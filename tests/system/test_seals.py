"""The journal outwards: lines for other logs, and seals by which a cut end is found out."""

import json
import re
import sqlite3
import subprocess
import sys
from contextlib import closing
from pathlib import Path

import pytest

from tests.program import Json, Program

SYSLOG = re.compile(r"<109>1 (?P<at>\S+) (?P<host>\S+) adzeguard - (?P<kind>[a-z-]+) - (?P<said>\{.*\})")


@pytest.fixture
def written(demo: Program) -> Program:
    """The demo with a journal, and a key to seal with."""
    (demo.folder / "charter/charter.yaml").write_text("charter: 1\nrules: []\n")
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", demo.folder / "seal-key"], check=True)
    write(demo, "roan.pell")
    return demo


def write(program: Program, person: str) -> None:
    """Write some rows."""
    assert program("group", "add", r"LOWMERE\Chart Editors", person, "--yes").code == 0


def lines(text: str) -> list[Json]:
    """Read JSON lines."""
    return [json.loads(line) for line in text.splitlines()]


def cut(program: Program, sql: str) -> None:
    """Change the journal in the store, and what keeps its end beside it."""
    with closing(sqlite3.connect(program.folder / ".adzeguard/store.db")) as store, store:
        store.execute(sql)
    (program.folder / ".adzeguard/journal-head").unlink(missing_ok=True)


def test_every_row_is_exported_once_and_in_order(written: Program) -> None:
    """As JSON it is what the journal shows; from a row on, only what came after it."""
    whole = lines(written("journal", "export").out)
    shown = written("journal", "--format", "json").json
    assert [(row["seq"], row["hash"], row["body"]) for row in whole] == [
        (row["seq"], row["hash"], row["body"]) for row in shown
    ]
    assert [row["seq"] for row in lines(written("journal", "export", "--after", "2").out)] == [
        row["seq"] for row in whole[2:]
    ]
    assert written("journal", "export", "--since", "2099-01-01").out == ""


def test_syslog_lines_are_syslog_lines(written: Program) -> None:
    """One line a row, by RFC 5424, short enough for any receiver, with the hash that leads back to the row."""
    exported = written("journal", "export", "--format", "syslog").out.splitlines()
    shown = written("journal", "--format", "json").json
    assert len(exported) == len(shown)
    for line, row in zip(exported, shown, strict=True):
        found = SYSLOG.fullmatch(line)
        assert found is not None, line
        assert len(line) < 8192
        assert found["kind"] == row["kind"]
        assert json.loads(found["said"])["hash"] == row["hash"]


def test_what_follows_is_written_as_it_comes(written: Program) -> None:
    """Until somebody stops it."""
    command = [sys.executable, "-m", "adzeguard", "journal", "export", "--follow", "--after", "4"]
    running = subprocess.Popen(
        command, cwd=written.folder, env=written.environment, text=True, stdout=subprocess.PIPE, stderr=subprocess.PIPE
    )
    write(written, "hedda.morrow")
    assert running.stdout is not None
    assert json.loads(running.stdout.readline())["kind"] == "begin"
    running.terminate()
    running.communicate(timeout=30)
    assert running.returncode == 0


@pytest.mark.parametrize(
    ("sql", "says"),
    [
        ("DELETE FROM journal WHERE seq > 4", "row 8, which it seals, is not there any more"),
        (
            "UPDATE journal SET hash = substr(hash, 2) || substr(hash, 1, 1) WHERE seq = 8",
            "is another one than it seals",
        ),
    ],
)
def test_a_cut_end_is_found_out_by_the_seal(written: Program, sql: str, says: str) -> None:
    """Also when everything beside the store that knows of it was taken away, by a copy of the seal alone."""
    write(written, "hedda.morrow")
    sealed = written("journal", "seal", "--key", "seal-key")
    assert (sealed.code, "Sealed up to row 8" in sealed.err) == (0, True), sealed.err
    [seal] = (written.folder / ".adzeguard/seals").iterdir()
    assert seal.stat().st_mode & 0o777 == 0o600
    assert "1 seal holds, by SHA256:" in written("journal", "verify").out
    copy = Path(seal.rename(written.folder / "copy.seal"))
    write(written, "orla.fenn")
    assert written("journal", "verify", "--seal", copy).code == 0
    cut(written, sql)
    found = written("journal", "verify", "--seal", copy)
    assert (found.code, says in found.out) == (3, True), found.out


def test_a_seal_counts_by_its_signature(written: Program) -> None:
    """Changed it is told, and so is one by a key that is not allowed."""
    written("journal", "seal", "--key", "seal-key")
    [seal] = (written.folder / ".adzeguard/seals").iterdir()
    text = seal.read_text()
    seal.write_text(text.replace("row 4", "row 3"))
    assert "not over this content" in written("journal", "verify").out
    seal.write_text("row 4")
    assert "is no seal" in written("journal", "verify").out
    seal.write_text(text)
    public = (written.folder / "seal-key.pub").read_text()
    settings = written.folder / "adzeguard.toml"
    as_made = settings.read_text()
    settings.write_text(f'{as_made}\n[approval]\nsigners = "signers"\n')
    (written.folder / "signers").write_text(f"seal@lowmere.example {public}")
    assert written("journal", "verify").code == 0
    (written.folder / "signers").write_text("")
    assert "none of the allowed signers" in written("journal", "verify").out


def test_a_seal_by_another_key_than_the_workspace_seals_with_holds_nothing(written: Program) -> None:
    """With [seal] key its public half is the signer; said is by which key each seal holds."""
    with (written.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[seal]\nkey = "seal-key"\n')
    subprocess.run(["ssh-keygen", "-q", "-t", "ed25519", "-N", "", "-f", written.folder / "other-key"], check=True)
    assert written("journal", "seal").code == 0
    print_of = ["ssh-keygen", "-l", "-f", written.folder / "seal-key.pub"]
    fingerprint = subprocess.run(print_of, check=True, capture_output=True, text=True).stdout.split()[1]
    assert f"1 seal holds, by the [seal] key, {fingerprint}\n" in written("journal", "verify").out
    (written.folder / "seal-key").unlink()
    assert f"by the [seal] key, {fingerprint}\n" in written("journal", "verify").out
    write(written, "hedda.morrow")
    assert written("journal", "seal", "--key", "other-key").code == 0
    found = written("journal", "verify")
    assert (found.code, "it is sealed by another key than [seal] key: SHA256:" in found.out) == (3, True)
    assert f"by the [seal] key, {fingerprint}" in found.out


@pytest.mark.parametrize("junk", ["", "[]", '{"last": 7}'])
def test_an_end_that_is_not_kept_any_more_is_told(written: Program, junk: str) -> None:
    """Until something is written: a cut end would be missed by nothing but a seal."""
    head = written.folder / ".adzeguard/journal-head"
    if junk:
        head.write_text(junk)
    else:
        head.unlink()
    found = written("journal", "verify")
    assert (found.code, "where the journal ended is not known" in found.out) == (3, True), found.out
    write(written, "hedda.morrow")
    assert written("journal", "verify").code == 0


def test_rounds_seal_once_a_day_and_send_it(written: Program) -> None:
    """Without being asked for a passphrase; where nothing was written since, nothing is sealed."""
    with (written.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[seal]\nkey = "seal-key"\n\n[tell.lines]\nfile = "told.jsonl"\n')
    for _ in range(2):
        assert written("round").code == 0
    seals = list((written.folder / ".adzeguard/seals").iterdir())
    assert len(seals) == 1
    [told] = lines((written.folder / "told.jsonl").read_text())
    assert (told["kind"], told["text"]) == ("seal", seals[0].read_text())
    (written.folder / "copy.seal").write_text(told["text"])
    assert written("journal", "verify", "--seal", "copy.seal").code == 0
    (written.folder / "seal-key").unlink()
    seals[0].unlink()
    refused = written("round", "--format", "json")
    assert (refused.code, "seal-key cannot be read" in refused.json["not_made"][0]) == (4, True)
