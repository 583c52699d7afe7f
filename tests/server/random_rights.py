"""Objects with random descriptors on the real server, and people who may or may not do things to them."""

import random
import uuid
from dataclasses import dataclass, field

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid
from adzeguard.core.rights.schema import Schema
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.server.server import PASSWORD, Server

PEOPLE, GROUPS, OBJECTS = 10, 6, 30
CLASSES = ("user", "group", "computer", "organizationalUnit", "contact")
_EVERYONE, _AUTHENTICATED, _SELF = (Sid(s) for s in ("S-1-1-0", "S-1-5-11", "S-1-5-10"))
_BITS = [
    Right.CREATE_CHILD,
    Right.DELETE_CHILD,
    Right.SELF_WRITE,
    Right.WRITE_PROPERTY,
    Right.CONTROL_ACCESS,
    Right.WRITE_DAC,
    Right.WRITE_OWNER,
    Right.DELETE,
    Right.GENERIC_ALL,
    Right.GENERIC_WRITE,
]
_LOOKING = int(Right.READ_PROPERTY | Right.LIST_CHILDREN | Right.LIST_OBJECT | Right.READ_CONTROL)


@dataclass
class RandomRights:
    """What was made: the people, and the objects with their classes."""

    people: list[str] = field(default_factory=list)
    objects: dict[str, str] = field(default_factory=dict)
    own_ou: str = ""


def make(server: Server, schema: Schema, rng: random.Random) -> RandomRights:
    """Make people in nested groups, and objects whose descriptors are drawn by lot."""
    wire = Wire(Address(server.url, str(server.ca_file), server.tls_name), server.bind_as, PASSWORD)
    ou = f"OU=Lot,{server.base}"
    wire.add(ou, {"objectClass": [b"organizationalUnit"]})
    made = RandomRights(own_ou=ou)
    for n in range(PEOPLE):
        dn = f"CN=lot{n},{ou}"
        wire.add(dn, {"objectClass": [b"user"], "sAMAccountName": [b"lot%d" % n]})
        quoted = f'"{PASSWORD}"'.encode("utf-16-le")
        wire.modify(dn, [Modification("replace", "unicodePwd", (quoted,))])
        wire.modify(dn, [Modification("replace", "userAccountControl", (b"512",))])
        made.people.append(f"lot{n}")
    for n in range(GROUPS):
        members = [f"CN=lot{m},{ou}".encode() for m in rng.sample(range(PEOPLE), 3)]
        members += [f"CN=lotgroup{n - 1},{ou}".encode()] if n % 2 else []
        wire.add(
            f"CN=lotgroup{n},{ou}",
            {
                "objectClass": [b"group"],
                "sAMAccountName": [b"lotgroup%d" % n],
                "groupType": [b"-2147483640"],
                "member": members,
            },
        )
    sids = _sids(wire, ou)
    for n in range(OBJECTS):
        kind = CLASSES[n % len(CLASSES)]
        dn = f"{'OU' if kind == 'organizationalUnit' else 'CN'}=object{n},{ou}"
        values = {"objectClass": [kind.encode()]}
        if kind not in ("organizationalUnit", "contact"):
            values["sAMAccountName"] = [f"object{n}{'$' if kind == 'computer' else ''}".encode()]
        wire.add(dn, values)
        owner = rng.choice(sids) if rng.random() < 0.3 else Sid(server.sids["Administrator"])
        entries = [Ace(AceKind.ALLOW, 0, _LOOKING, _AUTHENTICATED)]
        entries += [_entry(rng, schema, kind, sids) for _ in range(rng.randint(1, 12))]
        packed = Descriptor(owner, owner, None, control=0x9004).with_entries(entries).to_bytes()
        wire.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed,))], whole_descriptor=True)
        made.objects[dn] = kind
    wire.close()
    return made


def _entry(rng: random.Random, schema: Schema, kind: str, sids: list[Sid]) -> Ace:
    who = rng.choice([*sids, *sids, _EVERYONE, _AUTHENTICATED, _SELF])
    mask = int(rng.choice(_BITS)) | (int(rng.choice(_BITS)) if rng.random() < 0.3 else 0)
    deny = rng.random() < 0.35
    flags = rng.choice([0, 0, 0, 2, 2 | 8])
    if rng.random() < 0.35:
        return Ace(AceKind.DENY if deny else AceKind.ALLOW, flags, mask, who)
    about = rng.choice(
        [
            _attribute(rng, schema),
            _attribute(rng, schema),
            rng.choice(list(schema.property_sets.values())),
            schema.classes[rng.choice(CLASSES)],
            schema.classes[kind],
            None,
        ]
    )
    inherited = schema.classes[rng.choice(CLASSES)] if rng.random() < 0.2 or about is None else None
    if about is not None and rng.random() < 0.7:
        mask |= int(rng.choice([Right.WRITE_PROPERTY, Right.CREATE_CHILD]))
    mask &= ~int(Right.CONTROL_ACCESS)  # see test_what_this_server_does_otherwise
    mask |= 0 if mask else int(Right.WRITE_PROPERTY)
    return Ace(AceKind.DENY_OBJECT if deny else AceKind.ALLOW_OBJECT, flags, mask, who, about, inherited)


def _attribute(rng: random.Random, schema: Schema) -> uuid.UUID:
    names = (
        "description",
        "member",
        "telephoneNumber",
        "title",
        "mail",
        "userAccountControl",
        "gPLink",
        "displayName",
        "pwdLastSet",
        "managedBy",
        "info",
        "streetAddress",
        "userPrincipalName",
        "scriptPath",
    )
    return schema.attributes[rng.choice(names)][0]


def _sids(wire: Wire, ou: str) -> list[Sid]:
    found = wire.search(ou, "(objectSid=*)", ["objectSid"], descriptors=False)
    return [Sid.from_bytes(attributes["objectsid"][0]) for _, attributes in found]
