"""What is damaged outside the program, by accident or on purpose, is told in one line, and healed where it can be."""

import re
import sqlite3
import subprocess
import sys
from pathlib import Path

import pytest

from tests.program import Program

ROAN = "sAMAccountName: roan.pell\n"
BYTES = "\udcff\udcfe"
"""Two bytes that are no UTF-8, as they stand in an argument."""


def with_attribute(demo: Program, line: str) -> None:
    """Give Roan Pell an attribute, in place of the one of the same name."""
    file = demo.folder / "lowmere.ldif"
    blocks = file.read_text().split("\n\n")
    name = line.partition(":")[0]
    place = next(i for i, block in enumerate(blocks) if ROAN.strip() in block)
    others = re.sub(rf"^{name}:.*\n", "", blocks[place] + "\n", flags=re.MULTILINE).strip("\n")
    blocks[place] = f"{others}\n{line}"
    file.write_text("\n\n".join(blocks))


CREW = b"\ndn: CN=big,OU=Groups,DC=lowmere,DC=example\nobjectClass: group\nsAMAccountName: big\n"


@pytest.mark.parametrize(
    "line",
    [
        "primaryGroupID: -5",
        "primaryGroupID: 4294967296",
        "primaryGroupID: 99999999999999999999999",
        "lastLogonTimestamp: 4611686018427387904",
        "accountExpires: 9223372036854775000",
        "userAccountControl: abc",
        "description:: " + "gICA" * 20,
    ],
)
def test_a_strange_value_of_one_object_stops_nothing(demo: Program, line: str) -> None:
    """The directory is collected, and everything can be asked about that object and the others."""
    with_attribute(demo, line)
    assert demo("collect").code == 4  # two hosts never answer
    for command in (("show", "roan.pell"), ("show", "roan.pell", "--format", "json"), ("who", "Service Desk")):
        assert demo(*command).code == 0, command
    assert demo("check", "--format", "csv").code == 3


def test_an_account_with_a_damaged_number_is_deleted_and_comes_back_disabled(demo: Program) -> None:
    """Nothing stops in the middle for good: what was done is undone, and the next command works."""
    assert demo("ou", "create", "Slipway", "--in", "OU=Quay", "--unprotected", "--yes").code == 0
    with (demo.folder / "lowmere.ldif").open("a") as file:
        file.write("\ndn: CN=odd,OU=Slipway,OU=Quay,DC=lowmere,DC=example\nobjectClass: user\nsAMAccountName: odd\n")
        file.write("userAccountControl: abc\n")
    assert demo("collect").code == 4
    gone = demo("ou", "delete", "OU=Slipway,OU=Quay", "--with-content", "--deletions", "2", "--yes")
    assert gone.code == 0, gone.err
    back = demo("undo", "--last", "--yes", "--format", "json")
    assert {o["status"] for o in back.json} == {"verified"}, back.out + back.err
    assert demo("show", "odd", "--format", "json").json["enabled"] is False
    assert demo("enact", "--resume").code == 2


@pytest.mark.parametrize("value", ["AA==", "AQUAAAAAAAUVAAAAIw5Oq89kQkTFP7zEAAIAAA=="])
def test_an_object_whose_sid_is_damaged_or_another_ones_is_named(demo: Program, value: str) -> None:
    """A SID that is none, and one that two objects have, stop the collection with the name of the object."""
    with_attribute(demo, f"objectSid:: {value}")
    ran = demo("collect")
    assert (ran.code, ran.err.count("\n")) == (1, 1)
    assert "Roan Pell" in ran.err
    assert demo("who", "First Aiders").code == 0  # the last collection is in force


def test_what_is_not_there_any_more_is_named_since_it_may_only_be_hidden(demo: Program) -> None:
    """A denial of reading hides objects as a deletion would: the collection says of whom it reads nothing now."""
    file = demo.folder / "lowmere.ldif"
    blocks = file.read_text().split("\n\n")
    file.write_text("\n\n".join(block for block in blocks if ROAN.strip() not in block))
    assert "Not there any more, deleted or hidden from this account (1): CN=Roan Pell" in demo("collect").err
    assert "Not there any more" not in demo("collect").err


def test_an_account_name_that_is_no_text_is_shown_with_its_bytes(demo: Program) -> None:
    """Bytes that are not UTF-8 stand as escapes in the name, by which the object is found."""
    with_attribute(demo, "sAMAccountName:: /29k")
    assert demo("collect").code == 4
    assert "\\xffod" in demo("find", "xffod").out


@pytest.mark.parametrize(
    "option", [("--scope", "universal"), ("--kind", "distribution")], ids=lambda option: option[0].strip("-")
)
def test_a_group_whose_kind_is_damaged_is_not_changed(demo: Program, option: tuple[str, str]) -> None:
    """A groupType of 0 has no scope, so that nobody can say what the change would come to."""
    file = demo.folder / "lowmere.ldif"
    before, _, after = file.read_text().partition("sAMAccountName: Night Watch\n")
    file.write_text(before + "sAMAccountName: Night Watch\n" + re.sub("groupType: .*", "groupType: 0", after, count=1))
    demo("collect")
    ran = demo("group", "set", "Night Watch", *option, "--yes")
    assert (ran.code, "its groupType is damaged" in ran.err) == (1, True)


@pytest.mark.parametrize(
    ("statement", "command", "said"),
    [
        ("UPDATE membership SET nested = x'010203'", ("who", "First Aiders"), "members of a group cannot be read"),
        ("UPDATE membership SET people = x'FFFFFF7F'", ("who", "First Aiders"), "members that are not there"),
        ("UPDATE membership SET nested = x'01000000'", ("who", "First Aiders"), "a group holds one that is none"),
        ("UPDATE object SET details = '{no'", ("show", "roan.pell"), "cannot be read"),
        ("UPDATE object SET kind = 99", ("show", "roan.pell"), "cannot be read"),
        ("UPDATE object SET flags = -1", ("show", "roan.pell"), "cannot be read"),
    ],
)
def test_a_damaged_store_is_told_and_written_anew_by_a_full_collection(
    demo: Program, statement: str, command: tuple[str, ...], said: str
) -> None:
    """One line with the way out, where the copy beside it does not know better; then everything is as it was."""
    before = demo(*command).out
    with sqlite3.connect(demo.folder / ".adzeguard/store.db") as store:
        store.execute(statement)
    store.close()
    (demo.folder / ".adzeguard/present").unlink()
    told = demo(*command)
    assert (told.code, said in told.err, told.err.count("\n")) == (1, True, 1), told.err
    assert "adzeguard collect --full" in told.err
    assert demo("collect", "--full").code == 4
    assert demo(*command).out == before


def test_states_of_hosts_and_rows_of_the_journal_that_are_no_json_are_passed_over(demo: Program) -> None:
    """A collection reads the hosts anew; the journal says which row cannot be read, and shows all others."""
    demo("group", "add", "First Aiders", "orla.fenn", "--yes")
    with sqlite3.connect(demo.folder / ".adzeguard/store.db") as store:
        store.execute("UPDATE host SET state = '{no'")
        store.execute("UPDATE journal SET body = '{no' WHERE seq = 2")
    store.close()
    assert "it has never answered" in demo("who", "--on", "KIOSK-01").err
    assert demo("collect").code == 4
    assert demo("who", "--on", "KIOSK-01").code == 0
    demo.environment["COLUMNS"] = "200"
    assert "cannot be read: its body is no JSON" in " ".join(demo("journal").out.split())
    assert demo("journal", "verify").out.startswith("row 2 was changed")


@pytest.mark.parametrize(
    ("arguments", "code"),
    [
        (("group", "add", "First Aiders", "orla.fenn", "--why", BYTES, "--yes"), 0),
        (("group", "set", "First Aiders", "--description", BYTES, "--yes"), 0),
        (("group", "add", "First Aiders", "orla.fenn", "--why", "x" * 9000, "--yes"), 0),
        (("who", BYTES), 2),
        (("enact", BYTES), 1),
        (("check", "--workspace", BYTES), 1),
        (("journal", "--limit", str(2**63)), 2),
        (("who", "First Aiders", "--at", "999999w"), 2),
        (("who", "First Aiders", "--at", "0001-01-01"), 2),
        (("undo", "--since", "999999w", "--yes"), 2),
    ],
)
def test_odd_arguments_are_taken_or_refused_in_one_line(demo: Program, arguments: tuple[str, ...], code: int) -> None:
    """Bytes, long texts and numbers beyond all measure are no reason to fall over, now or at a later look."""
    ran = demo(*arguments)
    assert ran.code == code, ran.err
    assert demo("journal", "--format", "json").code == 0
    assert demo("propose").code == 3


@pytest.mark.parametrize(
    ("rule", "said"),
    [
        (f"group: 'S-1-5-{'9' * 5000}', include: ['LOWMERE\\orla.fenn']", "is not a SID"),
        ("group: \"LOWMERE\\\\First\\0Aiders\", include: ['x']", ""),
        (f"group: 'LOWMERE\\First Aiders', why: '{'x' * 9000}', include: ['LOWMERE\\orla.fenn']", ""),
    ],
)
def test_odd_texts_in_a_charter_are_an_error_of_their_rule_or_harmless(demo: Program, rule: str, said: str) -> None:
    """A SID of five thousand digits, a NUL and a reason of nine thousand letters end no command."""
    (demo.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n  - {{id: odd, {rule}, response: mend}}\n")
    linted = demo("charter", "lint")
    assert said in linted.out + linted.err
    assert demo("check").code in (1, 3)
    assert demo("enact", "--yes").code in (0, 1)
    assert demo("journal").code == 0


def test_a_full_disk_under_the_output_is_told(demo_as_made: Path) -> None:
    """What cannot be written ends with 1 and the system's own reason, not with the half of it and 0."""
    with Path("/dev/full").open("w") as full:
        command = [sys.executable, "-m", "adzeguard", "who", "First Aiders"]
        ran = subprocess.run(command, cwd=demo_as_made, stdout=full, stderr=subprocess.PIPE, text=True, check=False)
    assert (ran.returncode, ran.stderr) == (
        1,
        "adzeguard: the result cannot be written or read: No space left on device\n",
    )


def test_looking_is_possible_where_nothing_can_be_written(demo_as_made: Path, tmp_path: Path) -> None:
    """On a disk that is mounted read-only everything that only looks answers; what changes is refused in one line."""
    script = f"mount --bind {demo_as_made} {tmp_path} && mount -o remount,bind,ro {tmp_path} && cd {tmp_path} && "
    looks = ("who 'First Aiders'", "status", "check", "journal", "show roan.pell", "reach 'Crew Rota'")
    for look, codes in {**dict.fromkeys(looks, (0, 3)), "propose": (3,), "collect": (1,), "enact --yes": (1,)}.items():
        command = ["unshare", "-m", "sh", "-c", f"{script}{sys.executable} -m adzeguard {look}"]
        ran = subprocess.run(command, capture_output=True, text=True, check=False)
        if "unshare failed" in ran.stderr or "permission denied" in ran.stderr:
            pytest.skip("a disk cannot be mounted here")
        assert ran.returncode in codes, (look, ran.stderr)
        assert codes != (1,) or "Read-only file system" in ran.stderr


def test_looking_is_possible_where_the_disk_is_full(demo_as_made: Path, tmp_path: Path) -> None:
    """Without a free byte everything that only looks answers; what changes says that there is no room, and why."""
    size = sum(file.stat().st_size for file in demo_as_made.rglob("*") if file.is_file()) + (8 << 20)
    script = (
        f"mount -t tmpfs -o size={size} tmpfs {tmp_path} && cp -r {demo_as_made} {tmp_path}/w && cd {tmp_path}/w && "
        f"(cat /dev/zero > ../fill; cat /dev/zero > ../rest) 2> /dev/null; "
    )
    looks = ("who 'First Aiders'", "status", "check", "show roan.pell", "history")
    for look, codes in {**dict.fromkeys(looks, (0, 3)), "propose": (3,), "enact --yes": (1,)}.items():
        command = ["unshare", "-m", "sh", "-c", f"{script}{sys.executable} -m adzeguard {look}"]
        ran = subprocess.run(command, capture_output=True, text=True, check=False)
        if "unshare failed" in ran.stderr or "permission denied" in ran.stderr:
            pytest.skip("a disk cannot be mounted here")
        assert ran.returncode in codes, (look, ran.stderr)
        assert codes != (1,) or "No space left on device" in ran.stderr or "disk is full" in ran.stderr, ran.stderr


@pytest.mark.parametrize(
    ("more", "code"),
    [
        (b"\n" * (4 << 20), 4),
        (b"\ndn: CN=big,OU=Groups,DC=lowmere,DC=example\nobjectClass: group\ndescription: x" + b"\n y" * (1 << 20), 4),
        (b"\ndn: CN=big,OU=Groups,DC=lowmere,DC=example\nobjectClass: group\ndescription: " + b"x" * (30 << 20), 1),
        (CREW + b"".join(b"member: CN=nobody %07d,OU=People,DC=lowmere,DC=example\n" % n for n in range(300_000)), 4),
    ],
    ids=["blank lines", "folded lines", "one long value", "members"],
)
def test_a_large_file_takes_no_more_memory_than_it_is_large(demo: Program, more: bytes, code: int) -> None:
    """Millions of lines, one endless value, a group of hundreds of thousands: 64 MiB above the input and the usual."""
    file = demo.folder / "lowmere.ldif"
    with file.open("ab") as ldif:
        ldif.write(b"\n" + more + b"\n")
    script = (
        "import re, sys; from adzeguard.cli.edge import run; code = run(['collect']); "
        "print(code, re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read())[1], file=sys.stderr)"
    )
    ran = subprocess.run([sys.executable, "-c", script], cwd=demo.folder, capture_output=True, text=True, check=False)
    said, kibibytes = map(int, ran.stderr.strip().splitlines()[-1].split())
    mebibytes = kibibytes // 1024
    assert (said, mebibytes < 70 + 64 + 2 * len(more) / (1 << 20)) == (code, True), mebibytes
