"""The tool's answers about rights held against the server's own."""

import random

import pytest

from adzeguard.core.rights.ace import Right
from adzeguard.core.rights.answers import Everybody, Tokens
from adzeguard.core.rights.descriptor import Descriptor
from adzeguard.core.rights.evaluate import Question, decide
from adzeguard.core.rights.questions import Asked, attribute_levels
from adzeguard.directory.ldap_wire import Address, Wire
from adzeguard.directory.schema import standard_schema
from adzeguard.store.database import Database
from adzeguard.store.estate_store import EstateStore
from tests.conftest import Program
from tests.server.random_rights import make
from tests.server.server import PASSWORD, Server

pytestmark = pytest.mark.server
ASKED = ["allowedAttributes", "allowedAttributesEffective", "allowedChildClasses", "allowedChildClassesEffective",
         "sDRightsEffective"]  # fmt: skip


def test_answers_about_random_descriptors_are_those_of_the_server(server: Server, workspace: Program) -> None:
    """For each person, object, attribute and child class the tool decides what the server says to that person."""
    schema = standard_schema()
    made = make(server, schema, random.Random(20261123))
    workspace("collect", "--full")
    estate = EstateStore(Database(workspace.folder / ".adzeguard/store.db")).load()
    tokens, computed = Tokens(estate), _never_writable(server)
    everybody = Everybody(estate, tokens)
    asked, differing = 0, []
    for account in made.people:
        [person] = estate.catalogue.principals(estate.catalogue.by_name(account)).values()
        token = tokens.of(person)
        wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), f"LOWMERE\\{account}", PASSWORD)
        for dn, kind in made.objects.items():
            said = wire.read(dn, ASKED)
            assert said is not None, f"{account} cannot see {dn}"
            target = estate.principal(estate.catalogue.by_dn(dn))
            descriptor = Descriptor.from_bytes(estate.catalogue.descriptors([target.id])[target.id])
            own = target.sid or ""

            def may(question: Question) -> bool:
                one = decide(descriptor, token, own, question).allowed  # noqa: B023 - asked within the turn
                right = Asked("", (question,))
                assert everybody.allowed(target, right, descriptor)[person.id] == one  # noqa: B023
                return one

            effective = {value.decode() for value in said.get("allowedattributeseffective", ())}
            own_class = schema.classes[kind]
            for name in (value.decode() for value in said.get("allowedattributes", ())):
                if name not in schema.attributes or name in computed:
                    continue
                asked += 1
                question = Question(Right.WRITE_PROPERTY, attribute_levels(schema, name, own_class))
                if may(question) != (name in effective):
                    differing.append((account, dn, name, name in effective))
            effective = {value.decode() for value in said.get("allowedchildclasseseffective", ())}
            for name in (value.decode() for value in said.get("allowedchildclasses", ())):
                asked += 1
                if may(Question(Right.CREATE_CHILD, (schema.classes[name],))) != (name in effective):
                    differing.append((account, dn, f"create {name}", name in effective))
            bits = int(said["sdrightseffective"][0])
            for bit, right in ((3, Right.WRITE_OWNER), (4, Right.WRITE_DAC)):
                asked += 1
                if may(Question(right, (own_class,))) != bool(bits & bit):
                    differing.append((account, dn, right.name, bool(bits & bit)))
        wire.close()
    assert asked > 2000
    assert differing == []


def _never_writable(server: Server) -> set[str]:
    """Attributes that the server computes or keeps for itself; it tells nobody that they can be written."""
    schema = f"CN=Schema,CN=Configuration,{server.base}"
    query = "(|(systemFlags:1.2.840.113556.1.4.803:=4)(linkID:1.2.840.113556.1.4.803:=1)(systemOnly=TRUE))"
    return {entry["lDAPDisplayName"][0] for entry in server.ask(query, "lDAPDisplayName", base=schema)}
