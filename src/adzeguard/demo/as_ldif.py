"""The example as an LDIF file, with the objects that every domain has."""

import struct
import uuid
from datetime import UTC, datetime, timedelta
from typing import Final

from adzeguard.core.identity import Sid
from adzeguard.demo.rights import delegated_entries, with_descriptors
from adzeguard.demo.scenario import BASE_DN, DNS_NAME, SHORT_NAME, Person, Scenario
from adzeguard.directory.ldif import render_record

DOMAIN_SID: Final = Sid("S-1-5-21-2874019363-1145201871-3300671429")
ISLE, ISLE_DNS_NAME = "ISLE", "isle.example"
"""The forest of the harbour pilots, whose people the example lets in."""
ISLE_SID: Final = Sid("S-1-5-21-3295943332-2229703785-3523962120")
_RID_OF_TRUST: Final = 9001
_NAMESPACE: Final = uuid.UUID("5f0c2b5e-93f4-4f0a-8a53-0d2f6a1c7e44")
_FIRST_RID: Final = 1103
_NEVER_ENDS: Final = 0x7FFFFFFFFFFFFFFF
_SCOPES: Final = {"global": 0x2, "domain local": 0x4, "universal": 0x8}
_SECURITY: Final = 0x80000000
_BUILTIN: Final = 0x80000005

Values = list[tuple[str, bytes]]

_DOMAIN_GROUPS: Final = (
    ("Domain Admins", 512, "global"),
    ("Domain Users", 513, "global"),
    ("Domain Guests", 514, "global"),
    ("Domain Computers", 515, "global"),
    ("Domain Controllers", 516, "global"),
    ("Schema Admins", 518, "universal"),
    ("Enterprise Admins", 519, "universal"),
    ("Group Policy Creator Owners", 520, "global"),
)
_BUILTIN_GROUPS: Final = (
    ("Administrators", 544),
    ("Users", 545),
    ("Guests", 546),
    ("Account Operators", 548),
    ("Server Operators", 549),
    ("Print Operators", 550),
    ("Backup Operators", 551),
    ("Remote Desktop Users", 555),
    ("Event Log Readers", 573),
)
_USUAL_MEMBERS: Final = {
    "Administrators": ["Administrator", "Domain Admins", "Enterprise Admins"],
    "Users": ["Domain Users", "S-1-5-11"],
    "Guests": ["Guest", "Domain Guests"],
    "Domain Admins": ["Administrator"],
    "Schema Admins": ["Administrator"],
    "Enterprise Admins": ["Administrator"],
    "Group Policy Creator Owners": ["Administrator"],
}

_SERVICES: Final = {"svc.tickets": "HTTP/tickets.lowmere.example"}
"""Planted: an account of a person's kind, privileged, for whose service anybody may have a ticket."""
_TRUSTED_HOSTS: Final = ("LAPTOP-09",)
"""Planted: a host that is given the tickets of everybody who signs in to it."""
_ANY_SERVICE: Final = 0x80000  # ADS_UF_TRUSTED_FOR_DELEGATION, [MS-ADTS] 2.2.16


class LdifDomain:
    """The example with SIDs: `sid_of` by account or group name, `text` the file."""

    def __init__(self, scenario: Scenario, now: datetime) -> None:
        self._scenario = scenario
        self._now = now.astimezone(UTC)
        self.sid_of: dict[str, Sid] = {}
        self._dn_of: dict[str, str] = {}
        self._name_everything()

    def _name_everything(self) -> None:
        for name, rid in (("Administrator", 500), ("Guest", 501), ("krbtgt", 502)):
            self._add(name, Sid(f"{DOMAIN_SID}-{rid}"), f"CN={name},CN=Users,{BASE_DN}")
        for name, rid, _ in _DOMAIN_GROUPS:
            self._add(name, Sid(f"{DOMAIN_SID}-{rid}"), f"CN={name},CN=Users,{BASE_DN}")
        for name, rid in _BUILTIN_GROUPS:
            self._add(name, Sid(f"S-1-5-32-{rid}"), f"CN={name},CN=Builtin,{BASE_DN}")
        self.sid_of["?"] = Sid(f"{DOMAIN_SID}-{self._scenario.dangling_rid}")
        self._add("S-1-5-11", Sid("S-1-5-11"), f"CN=S-1-5-11,CN=ForeignSecurityPrincipals,{BASE_DN}")
        rid = _FIRST_RID
        for name, dn in (
            *((group.name, group.dn) for group in self._scenario.groups),
            *((person.account, person.dn) for person in self._scenario.people),
            *((host.name, host.dn) for host in self._scenario.hosts),
        ):
            self._add(name, Sid(f"{DOMAIN_SID}-{rid}"), dn)
            rid += 1

    def _add(self, name: str, sid: Sid, dn: str) -> None:
        self.sid_of[name] = sid
        self._dn_of[name] = dn

    def text(self) -> bytes:
        """Return the LDIF file."""
        entries = [
            *self._containers(),
            *self._domain_accounts(),
            *self._domain_groups(),
            *self._groups(),
            *self._people(),
            *self._computers(),
            *self._policies(),
            *self._trust(),
        ]
        delegated = delegated_entries(self._scenario.delegations, self.sid_of)
        whole = with_descriptors(entries, DOMAIN_SID, delegated)
        return b"version: 1\n\n" + b"".join(render_record(dn, values) for dn, values in whole)

    def _containers(self) -> list[tuple[str, Values]]:
        linked: dict[str, list[str]] = {}
        for policy in self._scenario.policies:
            for ou in policy.linked_to:
                linked.setdefault(ou, []).append(f"[LDAP://{_policy_dn(policy.name)};0]")
        top: Values = [
            *_classes("top", "domain", "domainDNS"),
            ("dc", b"lowmere"),
            ("name", b"lowmere"),
            _sid(DOMAIN_SID),
            ("wellKnownObjects", f"B:32:A9D1CA15768811D1ADED00C04FD8D5CD:CN=Users,{BASE_DN}".encode()),
            ("wellKnownObjects", f"B:32:AA312825768811D1ADED00C04FD8D5CD:CN=Computers,{BASE_DN}".encode()),
        ]
        entries = [(BASE_DN, [*top, *self._common(BASE_DN, 1500)])]
        for leaf in ("Users", "Computers", "ForeignSecurityPrincipals", "System", "Policies,CN=System"):
            dn = f"CN={leaf},{BASE_DN}"
            entries.append(
                (dn, [*_classes("top", "container"), *_name(leaf.partition(",")[0]), *self._common(dn, 1500)])
            )
        dn = f"CN=Builtin,{BASE_DN}"
        entries.append((dn, [*_classes("top", "builtinDomain"), *_name("Builtin"), *self._common(dn, 1500)]))
        dn = f"CN={SHORT_NAME},CN=Partitions,CN=Configuration,{BASE_DN}"
        partition: Values = [
            *_classes("top", "crossRef"),
            ("nCName", BASE_DN.encode()),
            ("nETBIOSName", SHORT_NAME.encode()),
        ]
        entries.append((dn, partition))
        for ou in self._scenario.ous:
            dn, leaf = f"{ou},{BASE_DN}", ou.partition(",")[0][3:]
            values: Values = [
                *_classes("top", "organizationalUnit"),
                ("ou", leaf.encode()),
                ("name", leaf.encode()),
            ]
            values += [("gPLink", "".join(linked[ou]).encode())] if ou in linked else []
            entries.append((dn, [*values, *self._common(dn, 1400)]))
        dn = self._dn_of["S-1-5-11"]
        entries.append(
            (
                dn,
                [
                    *_classes("top", "foreignSecurityPrincipal"),
                    *_name("S-1-5-11"),
                    _sid(Sid("S-1-5-11")),
                    *self._common(dn, 1500),
                ],
            )
        )
        return entries

    def _domain_accounts(self) -> list[tuple[str, Values]]:
        usual = (
            ("Administrator", "Built-in account", 512),
            ("Guest", "Built-in guest", 514),
            ("krbtgt", "Key service", 514),
        )
        entries = []
        for name, description, control in usual:
            person = Person(name, name, "CN=Users", enabled=control == 512, idle_days=30, age_days=1500)
            values = self._person(person, name)
            entries.append(
                (
                    self._dn_of[name],
                    [*values, ("description", description.encode()), ("isCriticalSystemObject", b"TRUE")],
                )
            )
        return entries

    def _domain_groups(self) -> list[tuple[str, Values]]:
        groups = [(name, _SECURITY | _SCOPES[scope]) for name, _, scope in _DOMAIN_GROUPS]
        groups += [(name, _BUILTIN) for name, _ in _BUILTIN_GROUPS]
        entries = []
        for name, kind in groups:
            members = _USUAL_MEMBERS.get(name, []) + self._scenario.builtin_members.get(name, [])
            values = self._group(name, kind, members)
            entries.append((self._dn_of[name], [*values, ("isCriticalSystemObject", b"TRUE")]))
        return entries

    def _groups(self) -> list[tuple[str, Values]]:
        entries = []
        for group in self._scenario.groups:
            values = self._group(group.name, _SCOPES[group.scope] | (_SECURITY if group.security else 0), group.members)
            values += [("description", group.description.encode())] if group.description else []
            entries.append((group.dn, values))
        return entries

    def _group(self, name: str, kind: int, members: list[str]) -> Values:
        signed = kind - (1 << 32) if kind & _SECURITY else kind
        listed = sorted((self._dn_of[member].encode() for member in set(members)), key=bytes.lower)
        return [
            *_classes("top", "group"),
            *_name(name),
            ("sAMAccountName", name.encode()),
            _sid(self.sid_of[name]),
            ("groupType", str(signed).encode()),
            *(("member", dn) for dn in listed),
            *self._common(self._dn_of[name], 1300),
        ]

    def _people(self) -> list[tuple[str, Values]]:
        return [(person.dn, self._person(person, person.full_name)) for person in self._scenario.people]

    def _person(self, person: Person, name: str) -> Values:
        control = 512 if person.enabled else 514
        ends = (
            _NEVER_ENDS
            if person.expires_in_days is None
            else _file_time(self._midnight() + timedelta(days=person.expires_in_days))
        )
        values: Values = [
            *_classes("top", "person", "organizationalPerson", "user"),
            *_name(name),
            ("sAMAccountName", person.account.encode()),
            _sid(self.sid_of[person.account]),
            ("userPrincipalName", f"{person.account}@{DNS_NAME}".encode()),
            ("userAccountControl", str(control).encode()),
            ("primaryGroupID", str(self.sid_of[person.primary_group].rid).encode()),
            ("lastLogonTimestamp", str(_file_time(self._now - timedelta(days=person.idle_days))).encode()),
            (
                "pwdLastSet",
                str(_file_time(self._now - timedelta(days=min(person.age_days, 60 + person.idle_days)))).encode(),
            ),
            ("accountExpires", str(ends).encode()),
        ]
        if person.account in _SERVICES:
            values.append(("servicePrincipalName", _SERVICES[person.account].encode()))
        for attribute, text in (("title", person.title), ("department", person.department)):
            values += [(attribute, text.encode())] if text else []
        return [*values, *self._common(self._dn_of[person.account], person.age_days)]

    def _computers(self) -> list[tuple[str, Values]]:
        entries = []
        for host in self._scenario.hosts:
            values: Values = [
                *_classes("top", "person", "organizationalPerson", "user", "computer"),
                *_name(host.name),
                ("sAMAccountName", f"{host.name}$".encode()),
                _sid(self.sid_of[host.name]),
                ("userAccountControl", str(4096 | (_ANY_SERVICE if host.name in _TRUSTED_HOSTS else 0)).encode()),
                ("primaryGroupID", b"515"),
                ("dNSHostName", f"{host.name.lower()}.{DNS_NAME}".encode()),
                ("lastLogonTimestamp", str(_file_time(self._now - timedelta(days=host.idle_days))).encode()),
            ]
            entries.append((host.dn, [*values, *self._common(host.dn, 700)]))
        return entries

    def _policies(self) -> list[tuple[str, Values]]:
        entries = []
        for policy in self._scenario.policies:
            dn = _policy_dn(policy.name)
            version = b"0" if policy.empty else b"3"
            values: Values = [
                *_classes("top", "container", "groupPolicyContainer"),
                *_name(dn.partition(",")[0][3:]),
                ("displayName", policy.name.encode()),
                ("versionNumber", version),
                ("flags", b"0"),
                ("whenChanged", self._days_ago(250)),
            ]
            entries.append((dn, [*values, *self._common(dn, 600)]))
        return entries

    def _trust(self) -> list[tuple[str, Values]]:
        """A trust with another forest, whose people are let in, and its account."""
        trust, account = f"CN={ISLE_DNS_NAME},CN=System,{BASE_DN}", f"CN={ISLE}$,CN=Users,{BASE_DN}"
        of_trust: Values = [
            *_classes("top", "leaf", "trustedDomain"),
            *_name(ISLE_DNS_NAME),
            ("trustPartner", ISLE_DNS_NAME.encode()),
            ("flatName", ISLE.encode()),
            ("securityIdentifier", ISLE_SID.to_bytes()),
            ("trustDirection", b"3"),
            ("trustType", b"2"),
            ("trustAttributes", b"8"),
            ("whenChanged", self._days_ago(420)),
        ]
        of_account: Values = [
            *_classes("top", "person", "organizationalPerson", "user"),
            *_name(f"{ISLE}$"),
            ("sAMAccountName", f"{ISLE}$".encode()),
            _sid(Sid(f"{DOMAIN_SID}-{_RID_OF_TRUST}")),
            ("userAccountControl", b"2048"),
            ("primaryGroupID", b"513"),
            ("pwdLastSet", str(_file_time(self._now - timedelta(days=21))).encode()),
        ]
        return [
            (trust, [*of_trust, *self._common(trust, 420)]),
            (account, [*of_account, *self._common(account, 420)]),
        ]

    def _common(self, dn: str, age_days: int) -> Values:
        return [("objectGUID", uuid.uuid5(_NAMESPACE, dn).bytes_le), ("whenCreated", self._days_ago(age_days))]

    def _days_ago(self, days: int) -> bytes:
        return (self._midnight() - timedelta(days=days)).strftime("%Y%m%d%H%M%S.0Z").encode()

    def _midnight(self) -> datetime:
        return self._now.replace(hour=0, minute=0, second=0, microsecond=0) + timedelta(days=1)


def _policy_dn(name: str) -> str:
    guid = str(uuid.uuid5(_NAMESPACE, f"policy {name}")).upper()
    return f"CN={{{guid}}},CN=Policies,CN=System,{BASE_DN}"


def _classes(*names: str) -> Values:
    return [("objectClass", name.encode()) for name in names]


def _name(name: str) -> Values:
    return [("cn", name.encode()), ("name", name.encode())]


def _sid(sid: Sid) -> tuple[str, bytes]:
    return "objectSid", sid.to_bytes()


def _file_time(moment: datetime) -> int:
    since_1601 = moment - datetime(1601, 1, 1, tzinfo=UTC)
    return (since_1601.days * 86400 + since_1601.seconds) * 10_000_000


def machine_sid(host: str) -> Sid:
    """Return the SID of a made-up host, the same each time."""
    numbers = struct.unpack("<3I", uuid.uuid5(_NAMESPACE, f"machine {host}").bytes[:12])
    return Sid("S-1-5-21-" + "-".join(str(number) for number in numbers))
