"""Collecting only what changed gives what collecting everything gives."""

import subprocess
from collections.abc import Iterable

import pytest

from adzeguard.core.errors import ChangeRefusedError
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.program import Program
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
UNCHANGED = "Changed since the last time: 0 objects, 0 groups, 0 hosts."


def change(server: Server, records: Iterable[str]) -> None:
    """Change the directory with a plain client."""
    server.change("\n\n".join(record.replace("BASE", server.base) for record in records))


def added(dn: str, kind: str, account: str = "", *members: str) -> str:
    """A record that creates an object."""
    lines = [f"dn: {dn},BASE", "changetype: add", f"objectClass: {kind}"]
    lines += [f"sAMAccountName: {account}"] if account else []
    return "\n".join([*lines, *(f"member: {member},BASE" for member in members)])


def listed(group: str, operation: str, member: str) -> str:
    """A record that puts a member into a group, or takes one out."""
    return f"dn: {group},BASE\nchangetype: modify\n{operation}: member\nmember: {member},BASE"


def renamed(dn: str, leaf: str, parent: str = "") -> str:
    """A record that gives an object another name, or another place."""
    moved = f"\nnewsuperior: {parent},BASE" if parent else ""
    return f"dn: {dn},BASE\nchangetype: modrdn\nnewrdn: {leaf}\ndeleteoldrdn: 1{moved}"


def test_changes_alone_lead_to_the_same_estate_as_reading_everything(server: Server, workspace: Program) -> None:
    """Members, renames, moves of OUs, new and deleted objects, primary groups: a full read finds nothing more."""
    people = [added(f"CN=spit{n},OU=Spit", "user", f"spit{n}") for n in range(4)]
    crew, spit = "CN=Spit Crew,OU=Spit", [f"CN=spit{n},OU=Spit" for n in range(4)]
    change(
        server, [added("OU=Spit", "organizationalUnit"), *people, added(crew, "group", "Spit Crew", spit[0], spit[1])]
    )
    workspace("collect", "--full")
    assert UNCHANGED in workspace("collect").out
    change(
        server,
        [
            listed(crew, "add", spit[2]),
            listed(crew, "delete", spit[1]),
            listed(crew, "add", spit[3]),
            f"dn: {spit[3]},BASE\nchangetype: delete",
            renamed(spit[1], "CN=Spit One"),
            added("CN=Rock Crew,OU=Spit", "group", "Rock Crew", crew, spit[0]),
            renamed("OU=Spit", "OU=Sandbank", "OU=Groups"),
        ],
    )
    rid = relative_identifier(server, "Rock Crew")
    moved = "dn: CN=spit0,OU=Sandbank,OU=Groups,BASE"
    change(server, [f"{moved}\nchangetype: modify\nreplace: primaryGroupID\nprimaryGroupID: {rid}"])
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


def relative_identifier(server: Server, name: str) -> str:
    """The relative identifier of a group, by the plain client."""
    import base64

    [found] = server.ask(f"(sAMAccountName={name})", "objectSid")
    return str(int.from_bytes(base64.b64decode(found["objectSid"][0].removeprefix(": "))[-4:], "little"))


def test_rights_given_over_a_container_are_read_again_below_it(server: Server, workspace: Program) -> None:
    """Inherited entries change the descriptors below without a mark; they are read when the container's changed."""
    ous = [added(ou, "organizationalUnit") for ou in ("OU=Cove", "OU=Inner,OU=Cove")]
    change(server, [*ous, added("CN=cove0,OU=Inner,OU=Cove", "user", "cove0")])
    workspace("collect", "--full")
    [before] = server.ask("(sAMAccountName=cove0)", "uSNChanged")
    subprocess.run(
        [
            "samba-tool",
            "dsacl",
            "set",
            "-H",
            f"{server.folder}/private/sam.ldb",
            "-s",
            str(server.folder / "etc/smb.conf"),
            f"--objectdn=OU=Cove,{server.base}",
            "--sddl=(A;CI;RPWP;;;AU)",
        ],
        check=True,
        capture_output=True,
    )
    [after] = server.ask("(sAMAccountName=cove0)", "uSNChanged")
    assert before == after
    assert "3 objects" in workspace("collect").out

    assert UNCHANGED in workspace("collect", "--full").out


def test_the_seam_to_the_server_makes_renames_and_removes_entries(server: Server) -> None:
    """Every call of the seam does what a plain client then sees, and says the server's reason when it is refused."""
    address = Address(server.url, str(server.ca_file), server.tls_name)
    wire = Wire(address, server.bind_as, PASSWORD)
    dn = f"OU=Islet,{server.base}"
    wire.add(dn, {"objectClass": [b"organizationalUnit"], "description": [b"first"]})
    wire.modify(dn, [Modification("replace", "description", (b"second",)), Modification("add", "l", (b"Lowmere",))])
    wire.rename(dn, "OU=Skerry", f"OU=Groups,{server.base}")
    [seen] = server.ask("(ou=Skerry)", "description", "l")
    assert (seen["dn"], seen["description"], seen["l"]) == (
        [f"OU=Skerry,OU=Groups,{server.base}"],
        ["second"],
        ["Lowmere"],
    )
    with pytest.raises(ChangeRefusedError, match="there is no such object"):
        wire.delete(dn)
    wire.delete(f"OU=Skerry,OU=Groups,{server.base}")

    assert server.ask("(ou=Skerry)", "ou") == []
    stopped = wire.search(server.base, "(objectClass=user)", ["cn"])
    next(stopped)
    stopped.close()
    assert wire.read(server.base, ["dc"]) == {"dc": [b"lowmere"]}
    wire.close()
