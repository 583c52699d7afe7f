"""Collecting only what changed gives what collecting everything gives."""

import subprocess
from collections.abc import Iterable

import pytest

from tests.conftest import Program
from tests.server.server import Server

pytestmark = pytest.mark.server
UNCHANGED = "Changed since the last time: 0 objects, 0 groups, 0 hosts."


def change(server: Server, records: Iterable[str]) -> None:
    """Change the directory with a plain client."""
    server.change("\n\n".join(record.replace("BASE", server.base) for record in records))


def test_changes_alone_lead_to_the_same_estate_as_reading_everything(server: Server, workspace: Program) -> None:
    """Members, renames, moves of whole OUs, new and deleted objects, primary groups: a full read finds nothing more."""
    change(server, ["dn: OU=Spit,BASE\nchangetype: add\nobjectClass: organizationalUnit"])
    for number in range(4):
        change(
            server,
            [f"dn: CN=spit{number},OU=Spit,BASE\nchangetype: add\nobjectClass: user\nsAMAccountName: spit{number}"],
        )
    change(
        server,
        [
            "dn: CN=Spit Crew,OU=Spit,BASE\nchangetype: add\nobjectClass: group\nsAMAccountName: Spit Crew\nmember: CN=spit0,OU=Spit,BASE\nmember: CN=spit1,OU=Spit,BASE"
        ],
    )
    workspace("collect", "--full")
    assert UNCHANGED in workspace("collect").out
    change(
        server,
        [
            "dn: CN=Spit Crew,OU=Spit,BASE\nchangetype: modify\nadd: member\nmember: CN=spit2,OU=Spit,BASE\n-\ndelete: member\nmember: CN=spit1,OU=Spit,BASE",
            "dn: CN=Spit Crew,OU=Spit,BASE\nchangetype: modify\nadd: member\nmember: CN=spit3,OU=Spit,BASE",
            "dn: CN=spit3,OU=Spit,BASE\nchangetype: delete",
            "dn: CN=spit1,OU=Spit,BASE\nchangetype: modrdn\nnewrdn: CN=Spit One\ndeleteoldrdn: 1",
            "dn: CN=Rock Crew,OU=Spit,BASE\nchangetype: add\nobjectClass: group\nsAMAccountName: Rock Crew\nmember: CN=Spit Crew,OU=Spit,BASE\nmember: CN=spit0,OU=Spit,BASE",
            "dn: OU=Spit,BASE\nchangetype: modrdn\nnewrdn: OU=Sandbank\ndeleteoldrdn: 1\nnewsuperior: OU=Groups,BASE",
        ],
    )
    rid = workspace_rid(server, "Rock Crew")
    change(
        server,
        [
            f"dn: CN=spit0,OU=Sandbank,OU=Groups,BASE\nchangetype: modify\nreplace: primaryGroupID\nprimaryGroupID: {rid}"
        ],
    )
    collected = workspace("collect")
    assert "that changed" in collected.out
    members = {m["name"]: m["how"] for m in workspace("who", "Rock Crew", "--format", "json").json}
    assert members == {"Spit Crew": "member", "spit0": "primary group", "spit2": "member"}
    assert workspace("show", "spit2", "--format", "json").json["dn"] == f"CN=spit2,OU=Sandbank,OU=Groups,{server.base}"

    assert UNCHANGED in workspace("collect", "--full").out
    change(server, ["dn: CN=Spit Crew,OU=Sandbank,OU=Groups,BASE\nchangetype: delete"])
    workspace("collect")
    assert {m["name"] for m in workspace("who", "Rock Crew", "--format", "json").json} == {"spit0"}
    assert UNCHANGED in workspace("collect", "--full").out


def workspace_rid(server: Server, name: str) -> str:
    """The relative identifier of a group, by the plain client."""
    import base64

    [found] = server.ask(f"(sAMAccountName={name})", "objectSid")
    return str(int.from_bytes(base64.b64decode(found["objectSid"][0].removeprefix(": "))[-4:], "little"))


def test_rights_given_over_a_container_are_read_again_below_it(server: Server, workspace: Program) -> None:
    """Inherited entries change the descriptors below without a mark; they are read when the container's changed."""
    change(
        server,
        [
            "dn: OU=Cove,BASE\nchangetype: add\nobjectClass: organizationalUnit",
            "dn: OU=Inner,OU=Cove,BASE\nchangetype: add\nobjectClass: organizationalUnit",
            "dn: CN=cove0,OU=Inner,OU=Cove,BASE\nchangetype: add\nobjectClass: user\nsAMAccountName: cove0",
        ],
    )
    workspace("collect", "--full")
    [before] = server.ask("(sAMAccountName=cove0)", "uSNChanged")
    subprocess.run(
        [
            "samba-tool", "dsacl", "set", "-H", f"{server.folder}/private/sam.ldb", "-s", str(server.folder / "etc/smb.conf"),
            f"--objectdn=OU=Cove,{server.base}", "--sddl=(A;CI;RPWP;;;AU)",
        ],
        check=True,
        capture_output=True,
    )  # fmt: skip
    [after] = server.ask("(sAMAccountName=cove0)", "uSNChanged")
    assert before == after
    assert "3 objects" in workspace("collect").out

    assert UNCHANGED in workspace("collect", "--full").out
