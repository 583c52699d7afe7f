"""File shares of a real server: what is read of them, and whether the answers are what people can really do."""

import csv
import random
import uuid
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

import pytest
from smbprotocol.connection import Connection
from smbprotocol.exceptions import SMBResponseException
from smbprotocol.open import CreateDisposition, CreateOptions, FileAttributes, ImpersonationLevel, Open, ShareAccess
from smbprotocol.session import Session
from smbprotocol.tree import TreeConnect

from adzeguard.core.descriptors.ace import Ace, AceKind
from adzeguard.core.descriptors.descriptor import AceList, Descriptor
from adzeguard.core.identity import Sid
from adzeguard.core.rights.share_access import ASKED
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from adzeguard.shares.smb import SmbShares
from tests.program import Program
from tests.server.member import _FOLDER, Member
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
SHARES = ("open", "group", "denied", "read")
PEOPLE, GROUPS, FOLDERS = 12, 6, 14
_MASKS = (0x120089, 0x1301BF, 0x1F01FF, 0x1200A9, 0x40000, 0x80000, 0x116, 0x10000, 0x1, 0x80000000, 0x10000000)
_BY_HAND = 0xC0000022  # STATUS_ACCESS_DENIED


@dataclass(frozen=True)
class Files:
    """Who and what was made: the folders by share, and the SIDs of people and groups."""

    people: dict[str, Sid]
    groups: dict[str, Sid]
    folders: dict[str, list[str]]


def connected(member: Member, who: str) -> SmbShares:
    """The driver, connected as somebody."""
    settings = {"server": "harbour-01", "address": member.address, "bind_as": f"LOWMERE\\{who}"}
    return SmbShares(settings, lambda: PASSWORD)


@pytest.fixture(scope="module")
def driver(member: Member) -> Iterator[SmbShares]:
    """The driver, connected as an administrator of the member host."""
    made = connected(member, "Administrator")
    yield made
    made.close()


@pytest.fixture(scope="module")
def files(server: Server, member: Member, driver: SmbShares) -> Files:
    """People in nested groups, and folders whose permissions are drawn by lot, as are those of the shares."""
    lot = random.Random(20261126)
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    ou = f"OU=Files,{server.base}"
    wire.add(ou, {"objectClass": [b"organizationalUnit"]})
    for n in range(PEOPLE):
        dn = f"CN=clerk{n},{ou}"
        wire.add(dn, {"objectClass": [b"user"], "sAMAccountName": [b"clerk%d" % n]})
        wire.modify(dn, [Modification("replace", "unicodePwd", (f'"{PASSWORD}"'.encode("utf-16-le"),))])
        wire.modify(dn, [Modification("replace", "userAccountControl", (b"512",))])
    for n in range(GROUPS):
        members = [f"CN=clerk{m},{ou}".encode() for m in lot.sample(range(PEOPLE), 3)]
        members += [f"CN=clerks{n - 1},{ou}".encode()] if n % 2 else []
        values = {"objectClass": [b"group"], "sAMAccountName": [b"clerks%d" % n], "member": members}
        wire.add(f"CN=clerks{n},{ou}", values)

    def sid(name: str) -> Sid:
        return Sid.from_bytes(wire.read(f"CN={name},{ou}", ["objectSid"])["objectsid"][0])

    people = {f"clerk{n}": sid(f"clerk{n}") for n in range(PEOPLE)}
    groups = {f"clerks{n}": sid(f"clerks{n}") for n in range(GROUPS)}
    wire.close()
    everyone, users = "S-1-1-0", "S-1-5-32-545"
    sddl = {
        "open": f"D:(A;;0x1f01ff;;;{everyone})",
        "group": f"D:(A;;0x1301bf;;;{groups['clerks1']})(A;;0x1200a9;;;{groups['clerks2']})(A;;0x1f01ff;;;DA)",
        "denied": f"D:(D;;0x1f01ff;;;{groups['clerks3']})(A;;0x1f01ff;;;{everyone})",
        "read": f"D:(A;;0x1200a9;;;{users})(A;;0x1f01ff;;;{groups['clerks4']})(A;;0x1f01ff;;;DA)",
    }
    made: dict[str, list[str]] = {}
    for share in SHARES:
        done = member.run("sharesec", "-s", f"{_FOLDER}/smb.conf", share, f"--setsddl={sddl[share]}")
        assert done.returncode == 0, done.stderr
        made[share] = [f"f{n}" for n in range(FOLDERS)]
    # The helper that answers for the server opens this file as whoever asks, and tells of no permissions otherwise.
    assert member.run("chmod", "666", f"{_FOLDER}/state/share_info.tdb").returncode == 0
    known = [*people.values(), *groups.values(), *map(Sid, (everyone, users, "S-1-5-11", "S-1-5-32-544", "S-1-5-2"))]
    ours = Ace(AceKind.ALLOW, 3, 0x1F01FF, Sid(f"{server.sids['Administrator'].rpartition('-')[0]}-512"))
    for share, folders in made.items():
        for folder in folders:
            entries = [
                Ace(
                    AceKind.DENY if lot.random() < 0.3 else AceKind.ALLOW,
                    lot.choice((0, 3, 3, 11)),
                    lot.choice(_MASKS),
                    lot.choice(known),
                )
                for _ in range(lot.randint(1, 9))
            ]
            # Whoever makes a folder owns it, and may change its permissions whatever these say.
            clerk = f"clerk{lot.randrange(PEOPLE)}" if share == "open" else ""
            owner = connected(member, clerk) if clerk else driver
            with owner._opened(share, folder, 0x120089, CreateDisposition.FILE_CREATE):
                pass
            standing = Descriptor.from_bytes(owner.read(share, folder))
            assert standing.owner == (people[clerk] if clerk else server.sids["Administrator"])
            packed = Descriptor(standing.owner, standing.group, AceList((ours, *entries), 2), control=0x9004).to_bytes()
            owner.write(share, folder, packed)
            if clerk:
                owner.close()
    return Files(people, groups, made)


@pytest.fixture
def collected(server: Server, workspace: Program, member: Member, files: Files) -> Program:
    """The workspace with the shares read."""
    password = workspace.folder / "share-password"
    password.write_text(PASSWORD)
    password.chmod(0o600)
    settings = workspace.folder / "adzeguard.toml"
    table = f'[shares.harbour]\nkind = "smb"\nserver = "harbour-01"\naddress = "{member.address}"\n'
    table += 'bind_as = "LOWMERE\\\\Administrator"\npassword_file = "share-password"\n'
    settings.write_text(f"{settings.read_text()}\n{table}")
    assert "user" in workspace("collect", "--full").out
    read = workspace("collect", "--shares")
    assert read.code == 0, read.err
    assert f"Read {len(SHARES) * (FOLDERS + 1)} folders of {len(SHARES)} shares" in read.out
    return workspace


def can(
    session: Session, address: str, share: str, folder: str, mask: int, trees: dict[str, TreeConnect | None]
) -> bool:
    """Whether the server opens a folder for these rights, for whoever is logged on."""
    if share not in trees:
        tree = TreeConnect(session, rf"\\{address}\{share}")
        try:
            tree.connect()
            trees[share] = tree
        except SMBResponseException as error:
            assert error.status == _BY_HAND, error
            trees[share] = None
    tree = trees[share]
    if tree is None:
        return False
    handle = Open(tree, folder)
    try:
        handle.create(
            ImpersonationLevel.Impersonation,
            mask,
            FileAttributes.FILE_ATTRIBUTE_DIRECTORY,
            ShareAccess.FILE_SHARE_READ | ShareAccess.FILE_SHARE_WRITE | ShareAccess.FILE_SHARE_DELETE,
            CreateDisposition.FILE_OPEN,
            CreateOptions.FILE_DIRECTORY_FILE,
        )
    except SMBResponseException as error:
        assert error.status == _BY_HAND, error
        return False
    handle.close(False)
    return True


def test_two_thousand_answers_are_what_people_can_do(collected: Program, member: Member, files: Files) -> None:
    """Each person is logged on and tries each folder for each right; the answer before was the same."""
    asked = [
        (who, right, rf"\\harbour-01\{share}\{folder}")
        for who in files.people
        for share, folders in files.folders.items()
        for folder in folders
        for right in ASKED
    ]
    assert len(asked) > 2000
    batch = collected.folder / "asked.csv"
    with batch.open("w", newline="") as file:
        csv.writer(file).writerows([("who", "right", "object"), *asked])
    answers = collected("may", "--batch", batch, "--format", "json")
    assert answers.code == 0, answers.err
    said = {(row["who"], row["right"], row["object"]): row["allowed"] for row in answers.json}
    wrong = []
    for who in files.people:
        connection = Connection(uuid.uuid4(), member.address, 445, require_signing=True)
        connection.connect()
        session = Session(connection, rf"LOWMERE\{who}", PASSWORD, require_encryption=False)
        session.connect()
        trees: dict[str, TreeConnect | None] = {}
        for person, right, path in asked:
            if person == who:
                share, folder = path.split("\\")[3:]
                really = can(session, member.address, share, folder, ASKED[right][0], trees)
                if really != said[person, right, path]:
                    wrong.append((person, right, path, really))
        connection.disconnect(close=True)
    assert wrong == []
    allowed = sum(bool(one) for one in said.values())
    assert 200 < allowed < len(said) - 200


def test_the_sid_of_a_deleted_group_is_found_on_folders_and_taken_out(
    collected: Program, files: Files, driver: SmbShares
) -> None:
    """Wherever it stands and nowhere else; every other entry and its place stay, and undone all stand again."""
    sid = files.groups["clerks5"]

    def standing() -> dict[str, tuple[Ace, ...]]:
        return {
            rf"\\harbour-01\{share}\{folder}": Descriptor.from_bytes(driver.read(share, folder)).entries
            for share, folders in files.folders.items()
            for folder in folders
        }

    before = standing()
    named = {path for path, entries in before.items() if any(entry.sid == sid for entry in entries)}
    assert len(named) > 5
    for line in (
        ("retire", "clerks5", "--why", "over"),
        ("retire", "finish", "clerks5", "--anyway", "--deletions", "1"),
    ):
        done = collected(*line, "--yes")
        assert done.code == 0, done.err
    found = {row["where"] for row in collected("uses", "--orphans", "--format", "json").json if row["sid"] == sid}
    assert found == named
    assert collected("retire", "tidy", "--sid", sid, "--only-propose", "tidy.json", "--why", "over").code == 3
    done = collected("enact", "tidy.json", "--yes", "--format", "json")
    assert {row["status"] for row in done.json} == {"verified"}, done.err
    after = standing()
    assert after == {path: tuple(e for e in entries if e.sid != sid) for path, entries in before.items()}
    assert collected("collect", "--shares").code == 0
    assert not [row for row in collected("uses", "--orphans", "--format", "json").json if row["sid"] == sid]
    assert collected("undo", "--last", "--yes").code == 0
    # Drawn by lot, most lists are in no order of kinds; a denial that is given back goes before what it would deny.
    assert {path: Counter(entries) for path, entries in standing().items()} == {
        p: Counter(e) for p, e in before.items()
    }
