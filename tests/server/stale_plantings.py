"""Forty of each kind of staleness on the real server, and beside each as many that are not stale."""

import random
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.identity import Sid
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import Modification

EACH = 40
_DISABLED, _ENABLED, _MACHINE = b"514", b"544", b"4096"
_GLOBAL_SECURITY = str(0x2 - 0x80000000).encode()
_EPOCH = datetime(1601, 1, 1, tzinfo=UTC)


@dataclass
class Planted:
    """By sort the names of what was planted. Whatever else begins with `st-` or `ok-` is stale in no way."""

    top: str
    sorts: dict[str, set[str]] = field(default_factory=dict)

    def note(self, sort: str, name: str) -> str:
        """Write one down, and return its name."""
        self.sorts.setdefault(sort, set()).add(name)
        return name


def plant(wire: Wire, base: str, domain_sid: str, lot: random.Random) -> Planted:
    """Make them all in an OU of their own."""
    top = f"OU=Trial,{base}"
    planted = Planted(top)
    wire.add(top, {"objectClass": [b"organizationalUnit"]})
    for n in range(EACH):
        _accounts(wire, planted, n, lot)
        _groups(wire, planted, n)
        _ous(wire, planted, n)
        _policies(wire, planted, n, base, lot)
    _grants(wire, planted, domain_sid, lot)
    return planted


def _accounts(wire: Wire, planted: Planted, n: int, lot: random.Random) -> None:
    def account(name: str, kind: bytes, control: bytes, **values: bytes) -> str:
        dn = f"CN={name},{planted.top}"
        account_name = name.encode() + (b"$" if kind == b"computer" else b"")
        wire.add(
            dn,
            {
                "objectClass": [kind],
                "sAMAccountName": [account_name],
                **{key: [value] for key, value in values.items()},
            },
        )
        wire.modify(dn, [Modification("replace", "userAccountControl", (control,))])
        return dn

    def used(days: int) -> dict[str, bytes]:
        return {"lastLogonTimestamp": _file_time(days)}

    # Between 90 and 104 days the stamp may just be late.
    account(planted.note("unused", f"st-unused-{n}"), b"user", _ENABLED, **used(lot.randrange(106, 900)))
    account(f"ok-user-{n}", b"user", _ENABLED, **used(lot.randrange(103)))
    expired = _file_time(lot.randrange(1, 500))
    account(planted.note("expired", f"st-expired-{n}"), b"user", _ENABLED, **used(1), accountExpires=expired)
    account(f"ok-expires-{n}", b"user", _ENABLED, **used(1), accountExpires=_file_time(-lot.randrange(1, 500)))
    disabled = account(planted.note("disabled-privileged", f"st-disabled-{n}"), b"user", _DISABLED, **used(1))
    held = f"CN=st-keeps-{n},{planted.top}"
    wire.add(
        held, {"objectClass": [b"group"], "sAMAccountName": [f"st-keeps-{n}".encode()], "member": [disabled.encode()]}
    )
    planted.note("only-disabled", f"st-keeps-{n}")
    account(f"ok-disabled-{n}", b"user", _DISABLED, **used(1))
    unused = f"stu{n}"
    account(planted.note("unused-computer", unused), b"computer", _MACHINE, **used(lot.randrange(106, 900)))
    account(planted.note("disabled-computer", f"std{n}"), b"computer", b"4098", **used(1))
    account(f"oku{n}", b"computer", _MACHINE, **used(lot.randrange(103)))


def _groups(wire: Wire, planted: Planted, n: int) -> None:
    def group(name: str, *members: str) -> str:
        dn = f"CN={name},{planted.top}"
        values = {"objectClass": [b"group"], "sAMAccountName": [name.encode()], "groupType": [_GLOBAL_SECURITY]}
        wire.add(dn, values | ({"member": [m.encode() for m in members]} if members else {}))
        return dn

    alive = f"CN=ok-user-{n},{planted.top}"
    empty = group(planted.note("no-members", f"st-empty-{n}"))
    group(planted.note("nobody-inside", f"st-hollow-{n}"), empty)
    group(f"ok-group-{n}", group(f"ok-inner-{n}", alive), empty)
    one = group(planted.note("in-a-ring", f"st-ring-{n}-a"), alive)
    other = group(planted.note("in-a-ring", f"st-ring-{n}-b"), one)
    wire.modify(one, [Modification("add", "member", (other.encode(),))])


def _ous(wire: Wire, planted: Planted, n: int) -> None:
    wire.add(f"OU={planted.note('empty-ou', f'st-ou-{n}')},{planted.top}", {"objectClass": [b"organizationalUnit"]})
    full = f"OU=ok-ou-{n},{planted.top}"
    wire.add(full, {"objectClass": [b"organizationalUnit"]})
    wire.add(f"CN=ok-contact-{n},{full}", {"objectClass": [b"contact"]})


def _policies(wire: Wire, planted: Planted, n: int, base: str, lot: random.Random) -> None:
    def policy(name: str, version: int) -> str:
        dn = f"CN={name},CN=Policies,CN=System,{base}"
        wire.add(
            dn,
            {
                "objectClass": [b"groupPolicyContainer"],
                "displayName": [name.encode()],
                "versionNumber": [str(version).encode()],
                "flags": [b"0"],
            },
        )
        return dn

    def link(dns: list[tuple[str, int]]) -> None:
        text = "".join(f"[LDAP://{dn};{options}]" for dn, options in dns).encode()
        wire.modify(f"OU=ok-ou-{n},{planted.top}", [Modification("replace", "gPLink", (text,))])

    policy(planted.note("linked-nowhere", f"st-nowhere-{n}"), lot.randrange(1, 90))
    off = policy(planted.note("link-off", f"st-off-{n}"), lot.randrange(1, 90))
    empty = policy(planted.note("empty", f"st-nothing-{n}"), 0)
    used = policy(f"ok-policy-{n}", lot.randrange(1, 1 << 20))
    link([(off, lot.choice((1, 3))), (empty, 0), (used, lot.choice((0, 2)))])


def _grants(wire: Wire, planted: Planted, domain_sid: str, lot: random.Random) -> None:
    """All on one OU, whose list of rights grows to a hundred and sixty entries."""
    dn = f"OU=ok-ou-0,{planted.top}"

    def sid_of(name: str) -> Sid:
        [packed] = wire.read(f"CN={name},{planted.top}", ["objectSid"])["objectsid"]
        return Sid.from_bytes(packed)

    entries = []
    for n in range(EACH):
        gone = Sid(f"{domain_sid}-{900_000 + n}")
        planted.note("to-nothing", str(gone))
        planted.note("to-nobody", f"st-empty-{n}")
        planted.note("to-a-disabled-account", f"ok-disabled-{n}")
        holders = (gone, *map(sid_of, (f"st-empty-{n}", f"ok-disabled-{n}", f"ok-group-{n}")))
        entries += [Ace(AceKind.ALLOW, 2, int(Right.WRITE_PROPERTY | lot.choice(list(_BITS))), sid) for sid in holders]
    standing = Descriptor.from_bytes(wire.read(dn, ["nTSecurityDescriptor"])["ntsecuritydescriptor"][0])
    packed = standing.with_changes(entries, ()).to_bytes()
    wire.modify(dn, [Modification("replace", "nTSecurityDescriptor", (packed,))])


_BITS = (Right.CREATE_CHILD, Right.DELETE_CHILD, Right.CONTROL_ACCESS)


def _file_time(days_ago: int) -> bytes:
    since = datetime.now(UTC) - timedelta(days=days_ago) - _EPOCH
    return str((since.days * 86400 + since.seconds) * 10_000_000).encode()
