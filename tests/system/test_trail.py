"""The directory's own log: read once, and what it tells of who did what."""

import json
import shutil
import signal
import sqlite3
import subprocess
import sys
from contextlib import closing
from datetime import datetime, timedelta
from pathlib import Path

import pytest

from tests.program import Program

ADMINS = r"LOWMERE\Domain Admins"


@pytest.fixture
def told(demo: Program) -> Program:
    """The demo with its log read."""
    ran = demo("trail", "import", "trail.jsonl", "--format", "json")
    assert ran.code == 0
    assert ran.json["events"] == ran.json["read"] > 300
    return demo


def test_the_night_is_told_in_one_line_as_what_it_was(told: Program) -> None:
    """Into a group that leads into the administrators, at 02:40 on a Sunday, by the service desk, for 11 minutes."""
    rows = told("history", ADMINS, "--format", "json").json
    assert [(row["verb"], row["member"], row["group"], row["via"]) for row in rows] == [
        ("removed", r"LOWMERE\roan.pell", r"LOWMERE\Night Watch", r"LOWMERE\Directory Stewards > LOWMERE\Night Watch"),
        ("added", r"LOWMERE\roan.pell", r"LOWMERE\Night Watch", r"LOWMERE\Directory Stewards > LOWMERE\Night Watch"),
    ]
    ended, begun = (datetime.fromisoformat(row["happened_at"]) for row in rows)
    assert (begun.isoweekday(), begun.hour, begun.minute, ended - begun) == (7, 2, 40, timedelta(minutes=11))
    assert {(row["by"], row["from"]) for row in rows} == {(r"LOWMERE\signe.quist", "198.51.100.42")}
    assert {(row["source"], row["declared"]) for row in rows} == {("trail", False)}
    assert [row["still"] for row in rows] == [True, False]
    assert "which leads in" in " ".join(told("history", ADMINS).out.split())
    assert told("history", ADMINS, "--direct", "--format", "json").json == []


def test_the_night_is_told_after_the_group_between_was_taken_out(told: Program) -> None:
    """What led in then does not lead in any more, and what was done to it then was done to the administrators."""
    assert told("enact", "--yes").code == 0
    rows = told("history", ADMINS, "--outside", "Mon-Fri 07:00-19:00", "--format", "json").json
    assert [row["member"] for row in rows if row["source"] == "trail"] == [r"LOWMERE\roan.pell"] * 2


def test_history_is_asked_by_person_by_actor_by_time_and_by_hours(told: Program) -> None:
    """Each narrows, together they narrow more."""
    everything = told("history", "--format", "json").json
    assert len(everything) > 150
    his = told("history", "--person", "roan.pell", "--format", "json").json
    assert {row["member"] for row in his} == {r"LOWMERE\roan.pell"}
    hers = told("history", "--by", "signe.quist", "--outside", "Mon-Sun 07:00-23:00", "--format", "json").json
    assert {row["group"] for row in hers} >= {r"LOWMERE\Night Watch"}
    assert {row["by"] for row in hers} == {r"LOWMERE\signe.quist"}
    begun = his[-1]["happened_at"]
    since = told("history", "--person", "roan.pell", "--since", begun, "--until", begun, "--format", "json").json
    assert {row["happened_at"] for row in since} == {begun}
    wrong = told("history", "--outside", "every night")
    assert (wrong.code, "no time of a week" in wrong.err) == (2, True)
    assert told("history", "roan.pell").code == 2


def test_what_was_done_from_here_is_told_apart(told: Program) -> None:
    """An event that our journal knows is declared; --undeclared leaves it out."""
    assert told("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    now = datetime.now().astimezone().isoformat()
    fenn, aiders = (told("show", name, "--format", "json").json for name in ("orla.fenn", "First Aiders"))
    line = {"time": now, "verb": "added", "group": aiders["dn"], "member_sid": fenn["sid"], "by": "adzeguard"}
    (told.folder / "more.jsonl").write_text(json.dumps(line))
    assert told("trail", "import", "more.jsonl").code == 0
    [newest, *_] = told("history", "First Aiders", "--format", "json").json
    assert (newest["member"], newest["declared"], newest["still"]) == (r"LOWMERE\orla.fenn", True, True)
    rest = told("history", "First Aiders", "--undeclared", "--format", "json").json
    assert r"LOWMERE\orla.fenn" not in {row["member"] for row in rest if row["happened_at"] == newest["happened_at"]}


def test_a_log_that_is_read_again_adds_nothing(told: Program) -> None:
    """Whole, in part, in another file or from standard input."""
    text = (told.folder / "trail.jsonl").read_text()
    again = told("trail", "import", "-", "trail.jsonl", "--format", "json", typed=text)
    assert (again.json["events"], again.json["already_known"]) == (0, again.json["read"])


def test_what_an_older_version_read_is_understood_anew(told: Program) -> None:
    """It had taken what a client claims to be for the host, and knew not how somebody logged on."""
    with closing(sqlite3.connect(told.folder / ".adzeguard/store.db")) as store:
        before = store.execute("SELECT * FROM trail ORDER BY key").fetchall()
        store.execute("UPDATE trail SET what = 'DC-TRUSTED', way = '', whom = 'x' WHERE verb = 'logon'")
        store.commit()
        assert told("trail", "import", "trail.jsonl", "--format", "json").json["events"] == 0
        assert store.execute("SELECT * FROM trail ORDER BY key").fetchall() == before


def test_an_account_is_known_by_each_of_its_names(told: Program) -> None:
    """By its principal name, its bare one, and in a domain that nobody knows; an account of a host is another."""
    names = [
        "tobin.asker.adm@lowmere.example",
        "TOBIN.ASKER.ADM",
        r"lowmere.example\tobin.asker.adm",
        r"NOWHERE\tobin.asker.adm",
    ]
    others = [r"KIOSK-07\tobin.asker.adm", r"BUILTIN\tobin.asker.adm", "nobody.at.all"]
    now = datetime.now().astimezone().isoformat()
    lines = [json.dumps({"time": now, "verb": "refused", "member": name, "claimed": "X"}) for name in names + others]
    (told.folder / "tries.jsonl").write_text("\n".join(lines))
    assert told("trail", "import", "tries.jsonl", "--format", "json").json["events"] == len(lines)
    rows = {row["account"]: row["refused"] for row in told("logons", "--format", "json").json}
    assert {account: count for account, count in rows.items() if count} == {r"LOWMERE\tobin.asker.adm": len(names)}


def test_nothing_in_the_trail_is_not_never(told: Program) -> None:
    """Who was used by the directory's own stamp is not called unused; without a log nobody is."""
    used = {row["account"]: row for row in told("logons", "--format", "json").json}
    assert used[r"LOWMERE\svc.tickets"]["directory_says_at"] is not None
    # The log of the demo begins thirty days ago, at an hour of its own.
    shown = " ".join(told("logons", "--since", "20d").out.split())
    assert "not in the trail; by" in shown
    assert "not once" in shown
    assert "not once" not in told("logons", "--since", "200d").out


def test_a_class_is_missing_only_without_any_of_its_events(told: Program, demo: Program) -> None:
    """That nobody was taken out yet does not say that it would not be logged."""
    line = {"time": datetime.now().astimezone().isoformat(), "verb": "added", "group": "CN=a", "member": "CN=b"}
    for path in (demo.folder / ".adzeguard").glob("store.db*"):
        path.unlink()
    demo("collect")
    (demo.folder / "one.jsonl").write_text(json.dumps(line))
    demo("trail", "import", "one.jsonl")
    assert demo("trail", "support", "--format", "json").json["missing"] == ["changes of objects", "logons"]
    (demo.folder / "none.jsonl").write_text("no record\n")
    nothing = demo("trail", "import", "none.jsonl")
    assert (nothing.code, "none.jsonl holds no record of a form that is known" in nothing.err) == (3, True)


def test_what_cannot_be_read_is_kept_aside_and_shown(told: Program) -> None:
    """With its reason; the others are read, and the end of the program says that something was left."""
    (told.folder / "odd.log").write_text('{"some": "thing"}\n{"verb": "added", "time": "now"}\nno record\n')
    ran = told("trail", "import", "odd.log", "--format", "json")
    assert (ran.code, ran.json["set_aside"], ran.json["events"]) == (3, 2, 0)
    aside = told("trail", "aside", "--format", "json").json
    assert {(row["source"], row["reason"]) for row in aside} == {
        ("odd.log", "it is of no form that is known"),
        ("odd.log", "'now' is no time"),
    }
    assert told("trail", "import", "nowhere.log").code == 2


def test_support_says_what_is_missing_and_where_nothing_was_logged(told: Program, demo: Program) -> None:
    """The planted silence of days; before anything is read, everything, with what switches it on."""
    ran = told("trail", "support", "--format", "json")
    assert ran.code == 3
    [gap] = ran.json["gaps"]
    length = datetime.fromisoformat(gap["ends_at"]) - datetime.fromisoformat(gap["begins_at"])
    assert timedelta(days=4) < length < timedelta(days=7)
    assert ran.json["missing"] == []
    for path in (demo.folder / ".adzeguard").glob("store.db*"):
        path.unlink()
    assert demo("collect").code == 4
    empty = demo("trail", "support")
    assert empty.code == 3
    assert "dsdb_group_json_audit:5" in empty.out


def test_an_import_that_is_killed_is_gone_on_with(demo: Program) -> None:
    """However often it is killed: in the end the store has the same rows as after one whole import."""
    record = json.loads((demo.folder / "trail.jsonl").read_text().splitlines()[0])
    log = demo.folder / "large.log"
    with log.open("w") as file:
        for number in range(24_000):
            stamp = f"2026-11-{number % 28 + 1:02}T{number % 24:02}:00:00.{number:06}+0000"
            file.write(json.dumps(record | {"timestamp": stamp}) + "\n")
    command = [sys.executable, "-m", "adzeguard", "trail", "import", "large.log"]
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    store = f"file:{demo.folder}/.adzeguard/store.db?mode=ro"
    for _ in range(3):
        with closing(sqlite3.connect(store, uri=True)) as looking:
            known = kept = looking.execute("SELECT count(*) FROM trail").fetchone()
            running = subprocess.Popen(command, cwd=demo.folder, env=demo.environment, **quiet)
            while kept == known and running.poll() is None:
                kept = looking.execute("SELECT count(*) FROM trail").fetchone()
            running.send_signal(signal.SIGKILL)
            running.wait()
    last = demo("trail", "import", "large.log", "--format", "json")
    assert last.json["events"] + last.json["already_known"] == 24_000
    assert last.json["already_known"] > 0
    counts = {row["verb"]: row["count"] for row in demo("trail", "support", "--format", "json").json["events_by_verb"]}
    assert sum(counts.values()) == 24_000
    Path(log).unlink()


def test_a_log_of_lies_keeps_no_lease_from_its_end(demo: Program) -> None:
    """Half characters and bytes that are none stand in a name or beside the record: the round ends what is over."""
    with (demo.folder / "adzeguard.toml").open("a") as settings:
        settings.write('\n[trail]\nlogs = ["dc.log"]\n')
    first = (demo.folder / "trail.jsonl").read_bytes().splitlines()[0]
    odd = [first.replace(b'Account": "', b'Account": "\\ud800'), first.replace(b'Account": "', b'Account": "\xff')]
    (demo.folder / "dc.log").write_bytes(b"\n".join([*odd, b'{"verb": "\xfe"}', b'{"verb": "\\udcff"}', b""]))
    assert demo("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--for", "1h", "--yes").code == 0
    demo.ahead = timedelta(hours=2)
    done = demo("round", "--only-leases", "--format", "json")
    assert (done.json["events"], done.json["leases_ended"]) == (2, ["L1"]), done.out
    assert len(demo("trail", "aside", "--format", "json").json) == 2


def test_a_log_is_followed_over_restarts_partial_lines_and_rotations(demo: Program) -> None:
    """Each line once: whole ones alone, the rest of what was rotated away first, and a log that was emptied anew."""
    lines = (demo.folder / "trail.jsonl").read_text().splitlines(keepends=True)[:60]
    log = demo.folder / "dc.log"

    def followed() -> tuple[int, int]:
        ran = demo("trail", "follow", "dc.log", "--once")
        assert ran.code == 0, ran.err
        words = ran.out.split()
        return (int(words[0]), int(words[3])) if words else (0, 0)

    log.write_text("".join(lines[:10]) + lines[10][:30])
    assert followed() == (10, 10)
    assert followed() == (0, 0)
    with log.open("a") as file:
        file.write(lines[10][30:] + lines[11])
    assert followed() == (2, 2)
    with log.open("a") as file:
        file.write("".join(lines[12:20]))
    log.rename(demo.folder / "dc.log.1")
    log.write_text("".join(lines[20:30]))
    assert followed() == (18, 18)
    log.write_text("".join(lines[30:35]))
    assert followed() == (5, 5)
    log.rename(demo.folder / "gone")
    log.write_text("".join(lines[35:40]))
    lost = demo("trail", "follow", "dc.log", "--once")
    assert "5 records read, 5 events new" in lost.out
    assert "was rotated away before its end was read" in lost.err
    assert demo("trail", "import", "trail.jsonl", "--format", "json").json["already_known"] == 40
    assert demo("trail", "follow", "nothing.log", "--once").code == 2


def test_following_ends_when_it_is_told_to(demo: Program) -> None:
    """It sees what is written while it runs, and SIGTERM ends it with what it has read written down."""
    lines = (demo.folder / "trail.jsonl").read_text().splitlines(keepends=True)
    log = demo.folder / "dc.log"
    log.write_text(lines[0])
    command = [sys.executable, "-m", "adzeguard", "trail", "follow", "dc.log"]
    running = subprocess.Popen(
        command, cwd=demo.folder, env=demo.environment, stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
    )
    assert running.stdout is not None
    assert running.stdout.readline() == "1 records read, 1 events new\n"
    with log.open("a") as file:
        file.write("".join(lines[1:4]))
    assert running.stdout.readline() == "3 records read, 3 events new\n"
    running.send_signal(signal.SIGTERM)
    assert running.wait(30) == 0
    running.communicate()
    assert demo("trail", "follow", "dc.log", "--once").out == ""


def test_where_no_log_tells_two_collections_do(demo: Program, tmp_path: Path) -> None:
    """With the time between which it was; once a log tells it too, it is told once, and to the second."""
    shutil.copytree(demo.folder / ".adzeguard", tmp_path / "before")
    assert demo("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    shutil.rmtree(demo.folder / ".adzeguard")
    shutil.copytree(tmp_path / "before", demo.folder / ".adzeguard")
    assert demo("history", "First Aiders", "--format", "json").json == []
    demo("collect")
    [seen] = demo("history", "First Aiders", "--format", "json").json
    assert (seen["verb"], seen["member"], seen["source"]) == ("added", r"LOWMERE\orla.fenn", "collections")
    assert (seen["by"], seen["declared"], seen["still"]) == (None, False, True)
    assert " by 20" in " ".join(demo("history", "First Aiders").out.split())
    group, member = (demo("show", name, "--format", "json").json for name in ("First Aiders", "orla.fenn"))
    at = (datetime.fromisoformat(seen["happened_at"]) - timedelta(seconds=1)).isoformat()
    line = {"time": at, "verb": "added", "group": group["dn"], "member": member["dn"], "by": "somebody"}
    (demo.folder / "more.jsonl").write_text(json.dumps(line))
    assert demo("trail", "import", "more.jsonl").code == 0
    [told] = demo("history", "First Aiders", "--format", "json").json
    assert (told["source"], told["by"], told["happened_at"]) == ("trail", "somebody", at)


def test_without_a_log_what_was_done_from_here_is_told_by_the_journal(demo: Program) -> None:
    """With who did it here, once, though a collection saw it too."""
    assert demo("group", "add", "First Aiders", "orla.fenn", "--yes").code == 0
    assert demo("group", "remove", "First Aiders", "orla.fenn", "--yes").code == 0
    rows = demo("history", "First Aiders", "--format", "json").json
    assert [(row["verb"], row["source"], row["declared"], row["still"]) for row in rows] == [
        ("removed", "journal", True, True),
        ("added", "journal", True, False),
    ]


def test_an_exported_event_log_tells_the_same(told: Program, demo_as_made: Path, tmp_path: Path) -> None:
    """The same night, by the events of an event log instead of a server's JSON."""
    other = Program(Path(shutil.copytree(demo_as_made, tmp_path / "other")))
    wanted = told("history", ADMINS, "--format", "json").json
    events = "".join(
        f"""<Event><System><EventID>{4728 if row["verb"] == "added" else 4729}</EventID>
        <TimeCreated SystemTime="{row["happened_at"].replace("+00:00", "Z")}"/></System><EventData>
        <Data Name="MemberSid">{row["member_sid"]}</Data><Data Name="TargetUserName">Night Watch</Data>
        <Data Name="TargetDomainName">LOWMERE</Data><Data Name="TargetSid">{row["group_sid"]}</Data>
        <Data Name="SubjectUserSid">{row["by_sid"]}</Data></EventData></Event>"""
        for row in wanted
    )
    (other.folder / "events.xml").write_text(f"<Events>{events}</Events>")
    assert other("trail", "import", "events.xml").code == 0
    rows = other("history", ADMINS, "--format", "json").json
    assert [row | {"from": ""} for row in rows] == [row | {"from": ""} for row in wanted]
