"""People, groups and computers in an OU of their own on the real server, with entries as text; gone afterwards."""

from collections.abc import Iterator, Mapping
from contextlib import closing, contextmanager
from dataclasses import dataclass, field

from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.descriptors.sddl import entries_of_text
from adzeguard.core.identity import Sid
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.server.server import PASSWORD, Server

_QUOTED = f'"{PASSWORD}"'.encode("utf-16-le")


@dataclass
class Place:
    """The OU, and the SIDs of what was made in it by name."""

    admin: Wire
    dn: str
    sids: dict[str, Sid] = field(default_factory=dict)

    def dn_of(self, name: str) -> str:
        """Where something stands; the OU itself for an empty name."""
        return f"CN={name},{self.dn}" if name else self.dn

    def add(self, name: str, of_class: str, **values: bytes) -> None:
        """Make an object, and set its attributes one after another."""
        dn = self.dn_of(name)
        account = f"{name}$" if of_class == "computer" else name
        self.admin.add(dn, {"objectClass": [of_class.encode()], "sAMAccountName": [account.encode()]})
        for attribute, value in values.items():
            self.replace(name, attribute, value)
        self.sids[name] = Sid.from_bytes(self.admin.read(dn, ["objectSid"])["objectsid"][0])

    def person(self, name: str) -> None:
        """Make somebody who can sign in."""
        self.add(name, "user", unicodePwd=_QUOTED, userAccountControl=b"512")

    def group(self, name: str, *members: str, **values: bytes) -> None:
        """Make a group with these members."""
        self.add(name, "group", **values)
        self.admin.modify(
            self.dn_of(name), [Modification("add", "member", tuple(self.dn_of(one).encode() for one in members))]
        )

    def replace(self, name: str, attribute: str, value: bytes) -> None:
        """Set an attribute."""
        self.admin.modify(self.dn_of(name), [Modification("replace", attribute, (value,))])

    def give(self, name: str, entries: Mapping[str, str]) -> None:
        """Add entries to the descriptor of an object, by whom each is for, what is denied first."""
        give(self.admin, self.dn_of(name), {self.sids[who]: text for who, text in entries.items()})


def give(admin: Wire, dn: str, entries: Mapping[Sid, str]) -> None:
    """Add entries to the descriptor of an object, by the SIDs of whom they are for."""
    before = Descriptor.from_bytes(admin.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0])
    added = entries_of_text("".join(text.replace("{}", sid) for sid, text in entries.items()), Sid("S-1-5-21-1-2-3"))
    packed = before.with_changes(added, []).to_bytes()
    admin.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed,))])


@contextmanager
def planting(server: Server, name: str) -> Iterator[Place]:
    """An empty OU; it goes with all that was made in it."""
    with closing(server.bound("Administrator")) as admin:
        place = Place(admin, f"OU={name},{server.base}")
        admin.add(place.dn, {"objectClass": [b"organizationalUnit"]})
        try:
            yield place
        finally:
            for dn, _ in sorted(admin.search(place.dn, "(objectClass=*)", ["cn"]), key=lambda one: -one[0].count(",")):
                admin.delete(dn)
