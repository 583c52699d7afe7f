"""LDIF files: read, changed, and written back whole or not at all."""

import base64
import os
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.errors import AdzeguardError, ChangeRefusedError, LdifError
from adzeguard.directory.decode import observe
from adzeguard.directory.ldif import ReadAgain, read_records, render_record
from adzeguard.directory.ldif_file import LdifFile
from adzeguard.directory.ldif_objects import entry_of
from adzeguard.directory.port import Modification

names = st.from_regex(r"[A-Za-z][A-Za-z0-9-]{0,12}", fullmatch=True).filter(
    lambda n: n.lower() not in ("dn", "changetype", "version")
)
values = st.lists(
    st.tuples(names, st.one_of(st.binary(max_size=200), st.text().map(str.encode))), min_size=1, max_size=6
)
dns = st.text(min_size=1, max_size=40).map(lambda text: "CN=" + text.encode("utf-8", "replace").decode())


@given(st.lists(st.tuples(dns, values), min_size=1, max_size=5))
def test_what_is_written_is_read_again(entries: list) -> None:
    """Any names and values survive the file, with folding and base64 where they need it."""
    data = b"version: 1\n\n" + b"".join(render_record(dn, held) for dn, held in entries)
    records, rest = read_records(data, "x.ldif")

    assert [(r.dn, r.values) for r in records] == entries
    assert b"".join(r.lead + r.raw for r in records) + rest == data
    assert max(len(line) for line in data.split(b"\n")) <= 76


@given(
    st.binary(max_size=300),
    st.lists(
        st.sampled_from([b"dn: ", b"\n", b"\n\n", b" ", b":: ", b"cn: a", b"#", b"version: 1", b"\r\n"]), max_size=30
    ),
)
def test_any_bytes_are_ldif_or_an_error_of_ours(noise: bytes, pieces: list[bytes]) -> None:
    """No file makes the reader fail in another way than by naming file and line, and nothing of it is lost."""
    for data in (noise, b"".join(pieces), b"".join(pieces) + noise):
        try:
            records, rest = read_records(data, "x.ldif")
        except LdifError as error:
            assert error.message.startswith("x.ldif:")
        else:
            assert b"".join(r.lead + r.raw for r in records) + rest == data


@pytest.mark.parametrize(
    ("text", "expected"),
    [
        ("dn: CN=a\ncn a\n", "x.ldif:2: 'cn a' is not of the form attribute: value"),
        ("dn: CN=a\ncn: a\n\ncn: b\n", "x.ldif:4: an entry begins with dn:"),
        ("dn: CN=a\ncn:: !!!\n", "x.ldif:2: the value of cn is not base64"),
        ("dn: CN=a\njpegPhoto:< file:///etc/passwd\n", "x.ldif:2: values given by URL are not read"),
        ("dn: CN=a\nchangetype: modify\nadd: x\nx: y\n", "x.ldif:2: this file holds changes"),
        (" dn: CN=a\n", "x.ldif:1: a line continues another"),
        ("dn: CN=a\n", "x.ldif:1: the entry CN=a has no attributes"),
        ("version: 2\n\ndn: CN=a\ncn: a\n", "x.ldif:1: only version 1"),
        ("dn:: /w==\ncn: a\n", "x.ldif:1: the name of an entry must be UTF-8"),
    ],
)
def test_a_mistake_is_told_with_its_line(text: str, expected: str) -> None:
    """What breaks RFC 2849 is told with the line on which it stands."""
    with pytest.raises(LdifError) as raised:
        read_records(text.encode(), "x.ldif")

    assert raised.value.message.startswith(expected)


FILE = b"""\
# kept: written by hand
version: 1

dn: DC=lowmere
objectClass: domainDNS
objectSid:: AQQAAAAAAAUVAAAACgAAABQAAAAeAAAA

# kept too
dn: CN=Stewards,DC=lowmere
objectClass: group
member: CN=ada,DC=lowmere
member: CN=cleo,DC=lowmere

dn: CN=ada,DC=lowmere
objectClass: user

dn: CN=ben,DC=lowmere
objectClass: user

dn: CN=cleo,DC=lowmere
objectClass: user
# kept at the end
"""


def adding(name: str, operation: str = "add") -> list[Modification]:
    """One member more, or one less."""
    return [Modification(operation, "member", (f"CN={name},DC=lowmere".encode(),))]  # type: ignore[arg-type]


def test_a_change_and_its_inverse_leave_the_same_bytes(tmp_path: Path) -> None:
    """Values go in and out at their place in the order; comments, other entries and the file mode stay."""
    path = tmp_path / "x.ldif"
    path.write_bytes(FILE)
    path.chmod(0o600)
    directory = LdifFile(path)
    directory.modify("cn=stewards, dc=lowmere", adding("ben"))
    between = path.read_bytes()
    directory.modify("CN=Stewards,DC=lowmere", adding("Ben", "delete"))

    assert b"member: CN=ada,DC=lowmere\nmember: CN=ben,DC=lowmere\nmember: CN=cleo" in between
    assert path.read_bytes() == FILE
    assert path.stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize(
    ("name", "operation", "reason"),
    [
        ("ada", "add", "holds CN=ada,DC=lowmere already"),
        ("ben", "delete", "does not hold"),
        ("zoe", "add", "there is no CN=zoe"),
    ],
)
def test_a_change_that_a_server_would_refuse_is_refused_and_writes_nothing(
    tmp_path: Path, name: str, operation: str, reason: str
) -> None:
    """Adding twice, removing what is not there and naming what does not exist leave the file as it is."""
    path = tmp_path / "x.ldif"
    path.write_bytes(FILE)
    with pytest.raises(ChangeRefusedError, match=reason):
        LdifFile(path).modify("CN=Stewards,DC=lowmere", adding(name, operation))

    assert path.read_bytes() == FILE
    assert sorted(os.listdir(tmp_path)) == [".x.ldif.lock", "x.ldif"]


def test_a_disk_that_is_full_leaves_the_file_as_it_was(tmp_path: Path) -> None:
    """Where the new file cannot be written, the old one stays whole and nothing is left beside it."""
    import resource

    path = tmp_path / "x.ldif"
    path.write_bytes(FILE)
    directory = LdifFile(path)
    directory.facts()
    import signal

    ignored = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    soft, hard = resource.getrlimit(resource.RLIMIT_FSIZE)
    resource.setrlimit(resource.RLIMIT_FSIZE, (100, hard))
    try:
        with pytest.raises(AdzeguardError, match="it is as it was"):
            directory.modify("CN=Stewards,DC=lowmere", adding("ben"))
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, (soft, hard))
        signal.signal(signal.SIGXFSZ, ignored)

    assert path.read_bytes() == FILE
    assert sorted(os.listdir(tmp_path)) == [".x.ldif.lock", "x.ldif"]


def test_two_who_write_one_file_at_once_lose_nothing(tmp_path: Path) -> None:
    """Each of two programs changes the file forty times at the same time: all eighty changes stand in it."""
    path = tmp_path / "a.ldif"
    base = "dn: DC=x\nobjectClass: domainDNS\nobjectSid:: AQQAAAAAAAUVAAAAAQAAAAIAAAADAAAA\n"
    path.write_text(base + "".join(f"\ndn: CN=g{n},DC=x\nobjectClass: group\n" for n in range(2)))
    script = (
        "import sys; from pathlib import Path; from adzeguard.directory.ldif_file import LdifFile; "
        "from adzeguard.directory.port import Modification; driver = LdifFile(Path(sys.argv[1]), 'X'); "
        "[driver.modify(f'CN=g{sys.argv[2]},DC=x', [Modification('add', 'url', (b'%d' % n,))]) for n in range(40)]"
    )
    both = [subprocess.Popen([sys.executable, "-c", script, str(path), str(n)]) for n in range(2)]
    assert [process.wait(60) for process in both] == [0, 0]
    records, _ = read_records(path.read_bytes(), "a.ldif")
    assert [len(record.values) for record in records] == [2, 41, 41]


def test_a_large_entry_says_what_a_small_one_does(tmp_path: Path) -> None:
    """Its members are read from the file again and again instead of being kept; all else of it is the same."""
    head = "dn: CN=Crew,DC=lowmere,DC=example\nobjectClass: top\nobjectClass: group\n# kept\nsAMAccountName: Crew\n"
    members = [f"CN=Äda {n:06},OU=People,DC=lowmere,DC=example" for n in range(30_000)]
    lines = "".join(f"member:: {base64.b64encode(m.encode()).decode()}\n" for m in members)
    small, _ = read_records((head + lines[: lines.index("\n") + 1] + "\n").encode(), "small")
    [large], rest = read_records((head + lines + "description: at the end\n\n").encode(), "large")
    assert isinstance(large.values, ReadAgain)
    assert (len(large.values), rest) == (3 + 30_000 + 1, b"")
    assert large.values[:4] == small[0].values
    assert (large.values[0], large.values[-1]) == (("objectClass", b"top"), ("description", b"at the end"))
    entry = entry_of(large)
    assert (entry.text("samaccountname"), entry.text("description")) == ("Crew", "at the end")
    seen = observe(entry)
    assert seen is not None
    assert (list(seen.members), len(seen.members), seen.members[1]) == (members, 30_000, members[1])
    file = tmp_path / "d.ldif"
    domain = "dn: DC=lowmere,DC=example\nobjectClass: domainDNS\nobjectSid:: AQQAAAAAAAUVAAAAAQAAAAIAAAADAAAA\n\n"
    file.write_text(domain + head + lines + "\n")
    ldif = LdifFile(file)
    ldif.modify(large.dn, [Modification("delete", "member", (members[7].encode(),))])
    [left] = [observe(e) for e in ldif.entries() if e.dn == large.dn]
    assert left is not None
    assert list(left.members) == members[:7] + members[8:]
