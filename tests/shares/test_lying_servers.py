"""File servers that lie: a list or a permission that is none is told and not kept, and the next server is read."""

import struct
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from itertools import count
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import pytest
from smbprotocol.exceptions import SMBException, SMBResponseException
from smbprotocol.header import SMB2HeaderResponse
from smbprotocol.open import SMB2CreateResponse, SMB2QueryDirectoryResponse, SMB2QueryInfoResponse

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.shares import smb
from adzeguard.shares.smb import SmbShares
from adzeguard.shares.standin import StandinShares
from adzeguard.store.shares import Shares
from adzeguard.store.sqlite import SqliteDatabase
from adzeguard.workflows.shares import read_shares
from tests.long_tests import part_of

HONEST = Descriptor(ADMINISTRATORS, ADMINISTRATORS, None).to_bytes()
FOLDER = 0x10
NO_MORE, DENIED = 0x80000006, 0xC0000022


def entry(name: str, following: int = -1, length: int = -1) -> bytes:
    """One entry of a folder; `following` and `length` are what it says of itself, right where nothing is given."""
    raw = name.encode("utf-16-le")
    size = 64 + len(raw)
    padded = size + -size % 8
    head = struct.pack("<II6Q", padded if following < 0 else following, 0, *[0] * 6)
    return (head + struct.pack("<II", FOLDER, len(raw) if length < 0 else length) + raw).ljust(padded, b"\0")


def listing(*names: str) -> bytes:
    """The entries of a folder."""
    return b"".join(entry(name) for name in names[:-1]) + entry(names[-1], 0)


class Server:
    """What the driver talks with, below its signed connection: `lists` are its answers, one after the other."""

    def __init__(self, lists: Iterator[bytes | int], descriptor: bytes) -> None:
        self.lists = lists
        self.descriptor = descriptor
        self.dialect = 0x0210
        self.server_guid = self.client_guid = None
        self.supports_encryption = False

    def send(self, message: Any, *_others: Any, **_named: Any) -> Any:
        return message

    def receive(self, request: Any, **_named: Any) -> Any:
        command = type(request).__name__
        if command == "SMB2CreateRequest":
            opened = SMB2CreateResponse()
            opened["file_id"] = b"\1" * 16
            answer = opened.pack()
        elif command == "SMB2QueryDirectoryRequest":
            said = next(self.lists)
            if isinstance(said, int):
                header = SMB2HeaderResponse()
                header["status"] = said
                raise SMBResponseException(header)
            listed = SMB2QueryDirectoryResponse()
            listed["buffer"] = said
            answer = listed.pack()
        elif command == "SMB2QueryInfoRequest":
            told = SMB2QueryInfoResponse()
            told["buffer"] = self.descriptor
            answer = told.pack() if self.descriptor != b"cut" else b"\x09"
        else:
            raise SMBException("nothing is closed here")
        return {"data": SimpleNamespace(get_value=lambda: answer)}


def driver(lists: Iterator[bytes | int], descriptor: bytes = HONEST) -> SmbShares:
    """The driver, connected to a server that answers so for its share called charts."""
    made = SmbShares({"server": "quay", "bind_as": r"LOWMERE\reader", "shares": "charts"}, lambda: "")
    server = Server(lists, descriptor)
    session = SimpleNamespace(session_id=1, username="reader", open_table={}, connection=server)
    tree = SimpleNamespace(connection=server, session=session, share_name="charts", tree_connect_id=1)
    made._session, made._trees = session, {"charts": tree}  # type: ignore[assignment]
    made._listed = list  # type: ignore[method-assign]
    return made


def for_ever(*said: bytes | int) -> Callable[[], Iterator[bytes | int]]:
    """The same again and again."""
    return lambda: (one for _ in count() for one in said)


def once(*said: bytes | int) -> Callable[[], Iterator[bytes | int]]:
    """Some answers, and then the end, for each folder."""
    return for_ever(*said, NO_MORE)


def new_names() -> Iterator[bytes]:
    """Another name each time."""
    return (listing(f"f{number}") for number in count())


LISTS: dict[str, Callable[[], Iterator[bytes | int]]] = {
    "a dot for ever": for_ever(listing(".", "..")),
    "one name for ever": for_ever(listing("sea")),
    "new names for ever": new_names,
    "one name twice": once(listing(".", "..", "sea", "sea")),
    "a name that leads up": once(listing(".", "..", "..\\..\\admin")),
    "a name with a stream": once(listing(".", "..", "sea:hidden")),
    "no name": once(listing(".", "..", "")),
    "a name with an end in it": once(listing(".", "..", "sea\0land")),
    "nothing for ever": for_ever(b""),
    "bytes that mean nothing": once(b"\xff" * 200),
    "a list that is cut": once(listing(".", "..", "sea")[:-30]),
    "an entry that overlaps the next": once(entry(".", 8) + entry("..", 0)),
    "an entry that leads nowhere": once(entry(".", 0xFFFFFF00) + entry("..", 0)),
    "a name longer than all": once(entry(".", length=0x7FFFFFFE) + entry("..", 0)),
    "the end before anything": for_ever(NO_MORE),
}
DESCRIPTORS = {"no permissions": b"", "permissions that mean nothing": b"\x01" + b"\xff" * 60, "an answer cut": b"cut"}


@pytest.fixture
def store(tmp_path: Path) -> Iterator[Shares]:
    """Where shares are kept."""
    database = SqliteDatabase(tmp_path / "store.db", tmp_path / "lock")
    yield Shares(database)
    database.close()


@pytest.fixture
def honest(tmp_path: Path) -> StandinShares:
    """A server that is read after the lying one."""
    (tmp_path / "files").mkdir()
    (tmp_path / "files/pay.json").write_text('{"folders": {}}')
    return StandinShares(tmp_path / "files", "harbour")


@pytest.mark.parametrize("lie", part_of([*LISTS, *DESCRIPTORS], 12))
def test_no_lie_is_kept_and_the_next_server_is_read(
    store: Shares, honest: StandinShares, lie: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Told with its reason, in time; no folder of the lying server has permissions that it did not tell."""
    monkeypatch.setattr(smb, "_MOST_IN_A_FOLDER", 40)
    lists = LISTS.get(lie, once(listing(".", "..", "sea")))
    lying = driver(lists(), DESCRIPTORS.get(lie, HONEST))
    read = read_shares({"a": lying, "b": honest}, store, lambda: datetime.now(UTC), lambda *_: None)
    assert read.denied
    assert all(reason and "attribute" not in reason for _, reason in read.denied)
    assert {share.name for share in store.load().shares if share.server == "harbour"} == {"pay"}


def test_who_tells_the_truth_is_kept(store: Shares) -> None:
    """The same answers that the lies are made of."""
    lists = iter([listing(".", ".."), NO_MORE] * 3)
    first = iter([listing(".", "..", "sea"), NO_MORE])
    told = driver(one for both in (first, lists) for one in both)
    read = read_shares({"a": told}, store, lambda: datetime.now(UTC), lambda *_: None)
    assert (read.shares, read.folders, read.denied) == (1, 2, [])


def test_a_list_without_end_is_left_when_somebody_stops_it(store: Shares) -> None:
    """Between two answers; what was being read then is no part that was read."""
    asked = iter([False] * 6)
    read = read_shares(
        {"a": driver(new_names())},
        store,
        lambda: datetime.now(UTC),
        lambda *_: None,
        stopping=lambda: next(asked, True),
    )
    assert read.folders == 0
