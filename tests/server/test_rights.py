"""The tool's answers about rights held against the server's own."""

import contextlib
import random
import subprocess
import uuid
from collections.abc import Iterator

import pytest

from adzeguard.core.descriptors.ace import Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import ChangeRefusedError
from adzeguard.core.identity import Sid
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.evaluate import Question, decide
from adzeguard.core.rights.questions import Asked, attribute_levels
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from adzeguard.directory.schema import standard_schema
from adzeguard.store.estate_store import EstateStore
from adzeguard.store.sqlite import SqliteDatabase
from tests.long_tests import SEED
from tests.program import Program
from tests.server.random_rights import make
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
ASKED = [
    "allowedAttributes",
    "allowedAttributesEffective",
    "allowedChildClasses",
    "allowedChildClassesEffective",
    "sDRightsEffective",
]


Case = tuple[str, Question, bool]
"""What is asked, and what the server says."""


def test_answers_about_random_descriptors_are_those_of_the_server(server: Server, workspace: Program) -> None:
    """For each person, object, attribute and child class the tool decides what the server says to that person."""
    schema = standard_schema()
    made = make(server, schema, random.Random(20261123))
    workspace("collect", "--full")
    estate = EstateStore(
        SqliteDatabase(workspace.folder / ".adzeguard/store.db", workspace.folder / ".adzeguard/lock")
    ).load()
    tokens, computed = Tokens(estate), _never_writable(server)
    everybody = Everybody(estate, tokens)
    asked, differing = 0, []
    for account in made.people:
        [person] = estate.catalogue.principals(estate.catalogue.by_name(account)).values()
        wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), f"LOWMERE\\{account}", PASSWORD)
        for dn, kind in made.objects.items():
            target = estate.principal(estate.catalogue.by_dn(dn))
            descriptor = Descriptor.from_bytes(estate.catalogue.descriptors([target.id])[target.id])
            for name, question, says in _cases(wire, dn, schema.classes[kind], computed):
                asked += 1
                one = decide(descriptor, tokens.of(person), target.sid or "", question).allowed
                together = everybody.allowed(target, Asked("", (question,)), descriptor)[person.id]
                differing += [(account, dn, name, says)] if (one, together) != (says, says) else []
        wire.close()
    assert asked > 2000
    assert differing == []


def _cases(wire: Wire, dn: str, own_class: uuid.UUID, computed: set[str]) -> Iterator[Case]:
    """What the server says to whoever is bound: about each attribute, each class below, and the descriptor."""
    schema = standard_schema()
    said = wire.read(dn, ASKED)
    assert said is not None, f"{dn} cannot be seen"
    listed = {name: {value.decode() for value in said.get(name.lower(), ())} for name in ASKED[:4]}
    for name in listed["allowedAttributes"] & schema.attributes.keys() - computed:
        question = Question(Right.WRITE_PROPERTY, attribute_levels(schema, name, own_class))
        yield name, question, name in listed["allowedAttributesEffective"]
    for name in listed["allowedChildClasses"]:
        question = Question(Right.CREATE_CHILD, (schema.classes[name],))
        yield f"create {name}", question, name in listed["allowedChildClassesEffective"]
    bits = int(said["sdrightseffective"][0])
    yield "owner", Question(Right.WRITE_OWNER, (own_class,)), bool(bits & 3)
    yield "rights", Question(Right.WRITE_DAC, (own_class,)), bool(bits & 4)


def _never_writable(server: Server) -> set[str]:
    """Attributes that the server computes or keeps for itself; it tells nobody that they can be written."""
    schema = f"CN=Schema,CN=Configuration,{server.base}"
    query = "(|(systemFlags:1.2.840.113556.1.4.803:=4)(linkID:1.2.840.113556.1.4.803:=1)(systemOnly=TRUE))"
    return {entry["lDAPDisplayName"][0] for entry in server.ask(query, "lDAPDisplayName", base=schema)}


def test_what_nobody_may_write_the_server_lets_nobody_write(server: Server, workspace: Program) -> None:
    """By the server's own schema: administrators try each such attribute of a person, and are refused each."""
    dn = f"CN=Nobody Writes,CN=Users,{server.base}"
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    wire.add(dn, {"objectClass": [b"user"], "sAMAccountName": [b"nobody.writes"]})
    assert workspace("collect").code in (0, 4)
    [own] = server.ask("(objectClass=*)", "allowedAttributes", base=dn, scope="base")
    tried = sorted(set(own["allowedAttributes"]) & standard_schema().unwritable)
    assert len(tried) > 50
    written = []
    for name in [*tried, "sIDHistory"]:
        for value in (b"1", b"20260101000000.0Z", b"CN=Users," + server.base.encode()):
            with contextlib.suppress(ChangeRefusedError):
                wire.modify(dn, [Modification("replace", name, (value,))])
                written.append(name)
    assert written == []
    for name in random.Random(SEED).sample(tried, 5):
        answer = workspace("may", "Administrator", f"write:{name}", "nobody.writes", "--format", "json").json[0]
        assert (answer["allowed"], "nobody else" in answer["because"]) == (False, True), name
    assert workspace("may", "Administrator", "write:info", "nobody.writes", "--format", "json").json[0]["allowed"]
    wire.modify(dn, [Modification("replace", "info", (b"written",))])
    wire.delete(dn)
    wire.close()


def test_a_membership_that_only_the_member_carries_is_found(server: Server, workspace: Program) -> None:
    """The server puts the group into the token all the same; its own tool mends what the finding says."""
    members = server.folder / "private/sam.ldb.d/DC=LOWMERE,DC=EXAMPLE.ldb"
    query = ["ldbsearch", "-H", str(members), "(sAMAccountName=Domain Admins)", "member"]
    told = subprocess.run(query, check=True, capture_output=True, text=True).stdout.replace("\n ", "")
    [link] = [line for line in told.splitlines() if line.startswith("member: ") and "CN=Tobin Asker (adm)," in line]
    dn = f"CN=Domain Admins,CN=Users,{server.base}"
    lost = f"dn: {dn}\nchangetype: modify\ndelete: member\n{link}\n"
    subprocess.run(["ldbmodify", "-H", str(members)], input=lost, check=True, capture_output=True, text=True)
    person = f"CN=Tobin Asker (adm),OU=Administrators,OU=People,{server.base}"
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)

    def found() -> list[tuple[str, str]]:
        workspace("collect", "--full")
        rows = workspace("check", "--where", "check=carried-membership", "--format", "json").json
        return [(row["subject"], row["member"]) for row in rows]

    def token() -> set[str]:
        groups = wire.read(person, ("tokenGroups",))["tokengroups"]
        return {Sid.from_bytes(bytes(one)) for one in groups}

    assert workspace_sid(server, 512) in token()
    assert found() == [(r"LOWMERE\Domain Admins", r"LOWMERE\tobin.asker.adm")]
    mend = ["samba-tool", "dbcheck", "--cross-ncs", "--fix", "--yes", "-s", str(server.folder / "etc/smb.conf")]
    subprocess.run(mend, check=False, capture_output=True)
    assert found() == []
    wire.modify(dn, [Modification("add", "member", (person.encode(),))])
    wire.close()


def workspace_sid(server: Server, rid: int) -> str:
    """The SID of something that every domain is born with."""
    return f"{server.sids['Administrator'].rpartition('-')[0]}-{rid}"


def test_managed_service_accounts_are_neither_hosts_nor_alarms(server: Server, workspace: Program) -> None:
    """What their class gives everybody by itself is no grant; a computer beside them is still a host."""
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    made = []
    for kind in ("msDS-GroupManagedServiceAccount", "msDS-ManagedServiceAccount"):
        name = f"svc{len(made)}"
        made.append(f"CN={name},CN=Managed Service Accounts,{server.base}")
        values = {"sAMAccountName": f"{name}$", "userAccountControl": "4096", "dNSHostName": f"{name}.lowmere.example"}
        values |= {"msDS-ManagedPasswordInterval": "30"} if "Group" in kind else {}
        wire.add(made[-1], {"objectClass": [kind.encode()], **{key: [value.encode()] for key, value in values.items()}})
    workspace("collect")
    assert workspace("show", "svc0", "--format", "json").json["kind"] == "service account"
    assert not {"svc0", "svc1"} & {row["name"] for row in workspace("hosts", "list", "--format", "json").json}
    findings = workspace("check", "--each", "--format", "json").json
    assert [row["message"] for row in findings if row["subject"] in (r"LOWMERE\svc0", r"LOWMERE\svc1")] == []
    for dn in made:
        wire.delete(dn)
    wire.close()
