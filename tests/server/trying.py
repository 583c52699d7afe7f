"""Somebody who really tries, on the real server, to get as far as the rights of a person go.

Everything is done bound as the person, or as whoever they have become: putting somebody into a group, resetting a
password, writing a descriptor, taking ownership, moving. What was done is put back afterwards.
"""

import random
import uuid
from collections.abc import Iterator
from contextlib import closing
from dataclasses import dataclass, field

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.errors import AdzeguardError
from adzeguard.core.identity import Sid, parent_dn
from adzeguard.core.rights.schema import Schema
from adzeguard.core.wellknown import ADMINISTRATORS
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification
from tests.server.server import PASSWORD, Server

PEOPLE, GROUPS, OUS = 25, 14, 6
_AUTHENTICATED = Sid("S-1-5-11")
_LOOKING = int(Right.READ_PROPERTY | Right.LIST_CHILDREN | Right.LIST_OBJECT | Right.READ_CONTROL)
_ALL = int(Right.GENERIC_ALL)
_SIGNING_IN = {
    "altSecurityIdentities": b"Kerberos:somebody@elsewhere.example",
    "scriptPath": b"somebody.cmd",
    "userAccountControl": b"4194816",  # no pre-authentication wanted any more
    "msDS-AllowedToActOnBehalfOfOtherIdentity": Descriptor(ADMINISTRATORS, ADMINISTRATORS, None).to_bytes(),
}
_TOLD = ["sDRightsEffective", "allowedAttributesEffective"]
_ADMIN_FIRST = Ace(AceKind.ALLOW, 0, _ALL, ADMINISTRATORS)
"""Stands first everywhere, so that whoever puts things back can, whatever is denied to everybody."""


@dataclass
class Domain:
    """What was made: objects by name, with their places, and the descriptors that they began with."""

    server: Server
    base: str
    dns: dict[str, str] = field(default_factory=dict)
    kinds: dict[str, str] = field(default_factory=dict)
    sids: dict[str, Sid] = field(default_factory=dict)
    members: dict[str, set[str]] = field(default_factory=dict)
    descriptors: dict[str, bytes] = field(default_factory=dict)

    @property
    def people(self) -> list[str]:
        return [name for name, kind in self.kinds.items() if kind == "user"]

    @property
    def groups(self) -> list[str]:
        return [name for name, kind in self.kinds.items() if kind == "group"]

    @property
    def ous(self) -> list[str]:
        return [name for name, kind in self.kinds.items() if kind == "organizationalUnit"]

    def bound(self, account: str) -> Wire:
        return self.server.bound(account)

    def inside(self, group: str) -> set[str]:
        """Everybody inside, by nesting."""
        found, waiting = set[str](), [group]
        while waiting:
            for name in self.members.get(waiting.pop(), ()):
                if name not in found:
                    found.add(name)
                    waiting.append(name)
        return found


def make(server: Server, schema: Schema, seed: int) -> Domain:
    """Make people, nested groups and OUs in each other, and give rights by lot, denials among them."""
    lot = random.Random(seed)
    domain = Domain(server, f"OU=Trying {seed},{server.base}")
    person, group, unit = (f"{kind}{seed}." for kind in ("p", "g", "u"))
    wire = domain.bound("Administrator")
    wire.add(domain.base, {"objectClass": [b"organizationalUnit"]})
    for n in range(OUS):
        above = domain.base if n < 4 else domain.dns[f"{unit}{n - 4}"]
        _add(wire, domain, f"{unit}{n}", "organizationalUnit", f"OU={unit}{n},{above}")
    for n in range(PEOPLE):
        dn = f"CN={person}{n},{domain.dns[f'{unit}{lot.randrange(OUS)}']}"
        _add(wire, domain, f"{person}{n}", "user", dn)
        quoted = f'"{PASSWORD}"'.encode("utf-16-le")
        wire.modify(dn, [Modification("replace", "unicodePwd", (quoted,))])
        wire.modify(dn, [Modification("replace", "userAccountControl", (b"512",))])
    for n in range(GROUPS):
        _add(wire, domain, f"{group}{n}", "group", f"CN={group}{n},{domain.dns[f'{unit}{lot.randrange(OUS)}']}")
    for n, name in enumerate(domain.groups):
        inside = {f"{person}{m}" for m in lot.sample(range(PEOPLE), lot.choice([0, 1, 1, 2, 3]))}
        inside |= {f"{group}{m}" for m in lot.sample(range(n), min(n, lot.choice([0, 0, 1])))}
        domain.members[name] = inside
        if inside:
            dns = tuple(domain.dns[member].encode() for member in sorted(inside))
            wire.modify(domain.dns[name], [Modification("add", "member", dns)])
    for name in [*domain.ous, *domain.groups, *domain.people]:
        _give_rights(wire, domain, schema, lot, name)
    for name, dn in domain.dns.items():
        domain.descriptors[name] = wire.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0]
    wire.close()
    return domain


def _add(wire: Wire, domain: Domain, name: str, kind: str, dn: str) -> None:
    values = {"objectClass": [kind.encode()]}
    if kind != "organizationalUnit":
        values["sAMAccountName"] = [name.encode()]
    wire.add(dn, values)
    domain.dns[name], domain.kinds[name] = dn, kind
    found = wire.read(dn, ["objectSid"])
    if found and "objectsid" in found:
        domain.sids[name] = Sid.from_bytes(found["objectsid"][0])


def _give_rights(wire: Wire, domain: Domain, schema: Schema, lot: random.Random, name: str) -> None:
    kind = domain.kinds[name]
    dn = domain.dns[name]
    standing = Descriptor.from_bytes(wire.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0])
    own = [Ace(AceKind.ALLOW, 0, _LOOKING, _AUTHENTICATED)]
    count = lot.choice([0, 0, 0, 1, 1] if kind != "organizationalUnit" else [0, 0, 1, 1])
    own += [_right(schema, lot, kind, list(domain.sids.values())) for _ in range(count)]
    own.insert(0, _ADMIN_FIRST)
    inherited = [entry for entry in standing.entries if entry.inherited]
    if lot.random() < 0.25:  # an order that is not the usual one, too
        lot.shuffle(own)
    else:
        own.sort(key=lambda entry: not entry.denies)
    packed = standing.with_entries([*own, *inherited])
    if lot.random() < 0.2:
        packed = Descriptor(standing.owner, standing.group, None, control=standing.control | 0x1000).with_entries(
            own
        )  # takes nothing from above
    wire.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed.to_bytes(),))])


def _right(schema: Schema, lot: random.Random, kind: str, sids: list[Sid]) -> Ace:
    who = _AUTHENTICATED if lot.random() < 0.02 else lot.choice(sids)
    deny = lot.random() < 0.3
    if kind == "organizationalUnit":
        flags = lot.choice([0, 2, 2, 2 | 8])
        below = lot.choice(["user", "group"])
        mask, about, for_class = lot.choice(
            [
                (Right.WRITE_DAC, None, None),
                (Right.CREATE_CHILD | Right.DELETE_CHILD, schema.classes[below], None),
                (Right.CREATE_CHILD, None, None),
                (Right.DELETE_CHILD, None, None),
                (Right.WRITE_PROPERTY, None, schema.classes[below]),
                (Right.CONTROL_ACCESS, schema.control_rights["User-Force-Change-Password"], schema.classes["user"]),
                (Right.WRITE_PROPERTY, schema.attributes["member"][0], schema.classes["group"]),
                (Right.DELETE, None, schema.classes[below]),
                (_ALL, None, schema.classes[below]),
            ]
        )
        if for_class is not None:
            flags |= 2
        return _entry(deny, flags, int(mask), who, about, for_class)
    ways = [
        (Right.WRITE_DAC, None),
        (Right.WRITE_OWNER, None),
        (Right.DELETE | Right.WRITE_PROPERTY, None),
        (_ALL, None),
        (Right.WRITE_PROPERTY, schema.property_sets["Public-Information"]),
    ]
    if kind == "user":
        ways += [(Right.CONTROL_ACCESS, schema.control_rights["User-Force-Change-Password"])] * 4
    else:
        ways += [
            (Right.WRITE_PROPERTY, schema.attributes["member"][0]),
            (Right.WRITE_PROPERTY, schema.attributes["member"][0]),
            (Right.SELF_WRITE, schema.validated_writes["Self-Membership"]),
            (Right.SELF_WRITE, schema.validated_writes["Self-Membership"]),
        ]
    mask, about = lot.choice(ways)
    return _entry(deny, 0, int(mask), who, about, None)


def _entry(deny: bool, flags: int, mask: int, who: Sid, about: uuid.UUID | None, for_class: uuid.UUID | None) -> Ace:
    if about is None and for_class is None:
        return Ace(AceKind.DENY if deny else AceKind.ALLOW, flags, mask, who)
    return Ace(AceKind.DENY_OBJECT if deny else AceKind.ALLOW_OBJECT, flags, mask, who, about, for_class)


class Attacker:
    """One person who tries everything. `become` are the accounts that they have by now."""

    def __init__(self, domain: Domain, admin: Wire, person: str) -> None:
        self._domain = domain
        self._admin = admin
        self.become: list[str] = [person]
        self._ruled: set[str] = set()
        self._places = dict(domain.dns)
        self._by_joining: dict[str, dict[str, set[str]]] = {person: {}}
        self._could_join: set[str] = set()
        self._tried: set[tuple[str, frozenset[str]]] = set()

    def gets_into(self) -> set[str]:
        """Try until nothing more comes of it, put everything back, and return the groups that they could be in."""
        try:
            while self._one_round():
                pass
            got = {g for g in self._domain.groups if self._domain.inside(g) & {*self.become, *self._could_join}}
            return got | self._could_join
        finally:
            self._put_back()

    def _one_round(self) -> bool:
        """Try all with each account and each set of groups it could be in, once; tell whether there was any left.

        What was tried in vain by one need not be tried again when another has got further: what that one rules, it
        rules with all below.
        """
        left = False
        for account in list(self.become):
            for joined in self._states(account):
                if (account, joined) in self._tried:
                    continue
                left = True
                self._tried.add((account, joined))
                for group in joined:
                    self._set_member(group, account, inside=True)
                with closing(self._domain.bound(account)) as wire:
                    while self._try_all(wire, account, joined):
                        pass
                for group in joined:
                    self._set_member(group, account, inside=False)
        return left

    def _try_all(self, wire: Wire, account: str, joined: frozenset[str]) -> bool:
        """Try everything once; tell whether rights over something were won, by which more may have come.

        Where the server itself says that something would be in vain, it is left out: half an hour is saved by that.
        """
        before = len(self._ruled)
        told = {dn.casefold(): found for dn, found in wire.search(self._domain.base, "(objectClass=*)", _TOLD)}
        hopes = {name: told.get(dn.casefold(), {}) for name, dn in self._places.items()}
        for name, hope in hopes.items():
            if name not in self._ruled and hope.get("sdrightseffective", [b"0"])[0] != b"0":
                self._ruled |= {name} if self._takes_rights(wire, account, name) else set()
        self._govern_accounts()
        for name in self._domain.people:
            if name not in self.become and (self._resets(wire, name) or self._signs_in_as(wire, name)):
                self._becomes(name)
        for group in self._domain.groups:
            others = b"member" in hopes[group].get("allowedattributeseffective", ())
            self._try_to_join(wire, account, joined, group, others=others or group in self._ruled)
        for name in [*self._domain.people, *self._domain.groups]:
            renaming = {b"cn", b"name"} <= set(hopes[name].get("allowedattributeseffective", ()))
            if renaming and not self._has(name):
                self._try_to_move(wire, name)
        return len(self._ruled) > before

    def _govern_accounts(self) -> None:
        """Whoever rules an OU can link policies to it, which apply to the accounts in it: that is not tried here."""
        ruled = [f",{self._places[ou]}" for ou in self._domain.ous if ou in self._ruled]
        for name in self._domain.people:
            if name not in self.become and any(self._places[name].endswith(end) for end in ruled):
                self._becomes(name)

    def _has(self, name: str) -> bool:
        return name in self.become or name in self._ruled or name in self._could_join

    def _becomes(self, name: str) -> None:
        self.become.append(name)
        self._by_joining[name] = {}

    def _try_to_join(
        self, wire: Wire, account: str, joined: frozenset[str], group: str, *, others: bool = True
    ) -> None:
        for other in self.become if others else [account]:
            inside = other in self._domain.members.get(group, ()) or (other == account and group in joined)
            if inside or group in self._by_joining[other]:
                continue
            if self._adds(wire, group, other):
                self._could_join.add(group)
                self._by_joining[other][group] = {group} | (joined if other == account else set())

    def _states(self, account: str) -> list[frozenset[str]]:
        """Return the sets of groups to be in: none, each with the fewest that it takes to get there, and all."""
        ways = self._by_joining[account]
        return sorted({frozenset(), *map(frozenset, ways.values()), frozenset(ways)}, key=len)

    def _adds(self, wire: Wire, group: str, account: str) -> bool:
        value = (self._places[account].encode(),)
        done = _done(wire, self._places[group], Modification("add", "member", value))
        if done:
            self._set_member(group, account, inside=False)
        return done

    def _set_member(self, group: str, account: str, *, inside: bool) -> None:
        kind = "add" if inside else "delete"
        value = (self._places[account].encode(),)
        self._admin.modify(self._places[group], [Modification(kind, "member", value)])

    def _resets(self, wire: Wire, name: str) -> bool:
        quoted = f'"{PASSWORD}"'.encode("utf-16-le")
        return _done(wire, self._places[name], Modification("replace", "unicodePwd", (quoted,)))

    def _signs_in_as(self, wire: Wire, name: str) -> bool:
        """Write what would let them sign in as somebody, which itself cannot be tried here; the password is known."""
        for attribute, value in _SIGNING_IN.items():
            if _done(wire, self._places[name], Modification("replace", attribute, (value,))):
                usual = (b"512",) if attribute == "userAccountControl" else ()
                self._admin.modify(self._places[name], [Modification("replace", attribute, usual)])
                return True
        return False

    def _takes_rights(self, wire: Wire, account: str, name: str) -> bool:
        """Write the rights so that all is given to whoever tries, taking the ownership first where that helps."""
        dn = self._places[name]
        mine = self._domain.sids[account]
        everything = Ace(AceKind.ALLOW, 2, _ALL, mine)
        looking = Ace(AceKind.ALLOW, 0, _LOOKING, _AUTHENTICATED)
        packed = (
            Descriptor(mine, mine, None, control=0x9004).with_entries([_ADMIN_FIRST, everything, looking]).to_bytes()
        )
        change = Modification("replace", "nTSecurityDescriptor", (packed,))
        if _done(wire, dn, change):
            return True
        owner = Descriptor(mine, mine, None, control=0x8000).to_bytes()
        if not _takes_ownership(wire, dn, owner):
            return False
        return _done(wire, dn, change)

    def _try_to_move(self, wire: Wire, name: str) -> None:
        """Move something, see whether more of it is theirs there, and leave it there only for as long as that takes."""
        dn = self._places[name]
        leaf, home = dn.partition(",")[0], parent_dn(dn)
        for ou in self._domain.ous:
            goal = self._places[ou]
            if goal == home or not _moved(wire, dn, leaf, goal):
                continue
            self._places[name] = f"{leaf},{goal}"
            for able in list(self.become):
                with closing(self._domain.bound(able)) as other:
                    if self._takes_rights(other, able, name):
                        self._ruled.add(name)
                    if self._domain.kinds[name] == "user" and (
                        self._resets(other, name) or self._signs_in_as(other, name)
                    ):
                        self._becomes(name)
                    if self._domain.kinds[name] == "group":
                        self._try_to_join(other, able, frozenset(), name)
                if self._has(name):
                    break
            self._govern_accounts()
            self._admin.rename(self._places[name], leaf, home)
            self._places[name] = dn
            if self._has(name):
                return

    def _put_back(self) -> None:
        for name in sorted(self._ruled, key=lambda n: self._domain.dns[n].count(",")):
            raw = self._domain.descriptors[name]
            change = Modification("replace", "nTSecurityDescriptor", (raw,))
            self._admin.modify(self._domain.dns[name], [change], whole_descriptor=True)
        for name, raw in self._domain.descriptors.items() if self._ruled else ():
            now = self._admin.read(self._domain.dns[name], ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0]
            if now != raw:
                change = Modification("replace", "nTSecurityDescriptor", (raw,))
                self._admin.modify(self._domain.dns[name], [change], whole_descriptor=True)


def _takes_ownership(wire: Wire, dn: str, packed: bytes) -> bool:
    from ldap3 import MODIFY_REPLACE
    from ldap3.protocol.microsoft import security_descriptor_control

    wire._connection.modify(
        dn, {"nTSecurityDescriptor": [(MODIFY_REPLACE, [packed])]}, controls=security_descriptor_control(True, 1)
    )
    return wire._connection.result["result"] == 0


def _moved(wire: Wire, dn: str, leaf: str, goal: str) -> bool:
    try:
        wire.rename(dn, leaf, goal)
    except AdzeguardError:
        return False
    return True


def _done(wire: Wire, dn: str, change: Modification) -> bool:
    try:
        wire.modify(dn, [change])
    except AdzeguardError:
        return False
    return True


def differing(domain: Domain, admin: Wire) -> Iterator[str]:
    """Yield what is not as it was made."""
    for name, dn in domain.dns.items():
        found = admin.read(dn, ["nTSecurityDescriptor", "member"])
        if found is None or found["ntsecuritydescriptor"][0] != domain.descriptors[name]:
            yield name
        elif len(found.get("member", ())) != len(domain.members.get(name, ())):
            yield f"members of {name}"
