"""A mounted tree: its lists of POSIX as lists of entries that let through the same."""

import os
import stat
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.drivers import NoNames
from adzeguard.core.errors import ShareError
from adzeguard.core.rights.share_access import may_in_folder
from adzeguard.shares.mounted import _ENTRY, MountedTree, _classes

R, W, X = 0x1, 0x2, 0x20
OWNER, GROUP = "S-1-22-1-0", "S-1-22-2-0"
EVERYONE = "S-1-1-0"


def descriptor(monkeypatch: pytest.MonkeyPatch, raw: bytes, mode: int) -> Descriptor:
    """What is told of a folder with this list."""
    seen = os.stat_result((stat.S_IFDIR | mode, 0, 0, 1, 0, 0, 0, 0, 0, 0))
    monkeypatch.setattr(Path, "lstat", lambda _self: seen)
    monkeypatch.setattr(os, "getxattr", lambda *_a, **_n: raw)
    return Descriptor.from_bytes(MountedTree(Path("/"), "harbour-01", "crew", NoNames()).read("crew", ""))


def posix(classes: list[tuple[int, int, int]], uid: int, gids: set[int], wanted: int) -> bool:
    """Whether POSIX lets somebody do it: the first class that fits decides, of groups any one that has all."""
    mask = next((rights for kind, _, rights in classes if kind == 16), 7)
    by_kind = {kind: rights for kind, _, rights in classes}
    if uid == 0:
        return by_kind[1] & wanted == wanted
    for kind, number, rights in classes:
        if kind == 2 and number == uid:
            return rights & mask & wanted == wanted
    fitting = [r & mask for kind, n, r in classes if (kind == 4 and 0 in gids) or (kind == 8 and n in gids)]
    if fitting:
        return any(rights & wanted == wanted for rights in fitting)
    return by_kind[32] & wanted == wanted


rights = st.integers(0, 7)


@given(
    own=st.tuples(rights, rights, rights),
    users=st.dictionaries(st.integers(70001, 70004), rights, max_size=3),
    groups=st.dictionaries(st.integers(80001, 80003), rights, max_size=2),
    mask=rights,
    uid=st.sampled_from([0, 70001, 70002, 70009]),
    gids=st.sets(st.sampled_from([0, 80001, 80002]), max_size=1),
    asked=st.sampled_from([4, 2, 1]),
)
def test_the_entries_let_through_what_the_classes_do(own, users, groups, mask, uid, gids, asked) -> None:
    """For the owner, named people, groups and others, whatever the mask; one right at a time."""
    classes = [(1, 0xFFFFFFFF, own[0]), *((2, n, r) for n, r in users.items()), (4, 0xFFFFFFFF, own[1])]
    classes += [*((8, n, r) for n, r in groups.items()), (16, 0xFFFFFFFF, mask), (32, 0xFFFFFFFF, own[2])]
    raw = b"\x02\0\0\0" + b"".join(_ENTRY.pack(kind, r, n) for kind, n, r in classes)
    with pytest.MonkeyPatch.context() as patch:
        told = descriptor(patch, raw, 0o755)
    token = frozenset({f"S-1-22-1-{uid}", EVERYONE, *(f"S-1-22-2-{gid}" for gid in gids)})
    bit = {4: R, 2: W, 1: X}[asked]
    assert may_in_folder(None, told, token, bit).allowed == posix(classes, uid, gids, asked)


def test_without_a_list_the_mode_decides(monkeypatch: pytest.MonkeyPatch) -> None:
    """Three classes, and damaged lists are none."""
    assert _classes(b"", 0o750) == [(1, 0, 7), (4, 0, 5), (32, 0, 0)]
    told = descriptor(monkeypatch, b"\x01", 0o750)
    assert may_in_folder(None, told, frozenset({OWNER, EVERYONE}), W).allowed
    assert may_in_folder(None, told, frozenset({"S-1-22-1-7", GROUP, EVERYONE}), R).allowed
    assert not may_in_folder(None, told, frozenset({"S-1-22-1-7", GROUP, EVERYONE}), W).allowed
    assert not may_in_folder(None, told, frozenset({"S-1-22-1-7", EVERYONE}), R).allowed


def test_a_tree_is_read_so_deep_and_no_link_is_followed(tmp_path: Path) -> None:
    """Folders by level; what may not be listed is told; permissions are not written."""
    (tmp_path / "a/b/c/d").mkdir(parents=True)
    (tmp_path / "z").symlink_to(tmp_path)
    (tmp_path / "file").write_text("")
    tree = MountedTree(tmp_path, "harbour-01", "crew", NoNames())
    assert [one.name for one in tree.shares()] == ["crew"]
    assert tree.parts("crew") == ["a"]
    assert [one.path for one in tree.folders("crew", "a", 3)] == ["a", r"a\b", r"a\b\c"]
    with pytest.raises(ShareError, match="not changed from here"):
        tree.write("crew", "a", b"")
    with pytest.raises(ShareError, match="is it mounted"):
        MountedTree(tmp_path / "gone", "harbour-01", "crew", NoNames()).shares()


def test_names_that_are_no_text_are_read_and_found_again(tmp_path: Path) -> None:
    """Bytes that are no UTF-8, a backslash, a tab, a mark that turns text: each can be stored, and found again."""
    names = [b"caf\xe9", b"back\\slash", b"tab\there", "turned\u202eround".encode(), "ž".encode(), b"\xff\xfe"]
    for number, name in enumerate(names):
        folder = tmp_path / os.fsdecode(name)
        (folder / os.fsdecode(name)).mkdir(parents=True)
        folder.chmod(0o700 | number)
    tree = MountedTree(tmp_path, "harbour-01", "crew", NoNames())
    found = {folder.path: folder.descriptor for part in tree.parts("crew") for folder in tree.folders("crew", part, 3)}
    assert len(found) == 2 * len(names)
    for path, read in found.items():
        path.encode()
        assert tree.read("crew", path) == read != b""
    assert "ž" in found
