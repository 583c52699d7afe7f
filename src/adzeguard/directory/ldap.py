"""A real directory server over LDAP v3."""

import time
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, timedelta
from functools import partial
from itertools import islice
from typing import Final, TypeVar

from adzeguard.core.drivers import DriverKind, Names, Secret, Setting, Settings
from adzeguard.core.errors import (
    ChangeRefusedError,
    DirectoryError,
    DirectorySilentError,
    DirectoryUnreachableError,
    SettingsError,
)
from adzeguard.core.estate.catalogue import Domain
from adzeguard.core.identity import Sid, domain_of_dn, fold_dn, guid_text, parent_dn, split_dn
from adzeguard.directory.decode import domain_sid_of
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_link_ends import link_with_end, read_link_ends, seconds_left, switch_on_link_ends
from adzeguard.directory.ldap_link_times import ATTRIBUTE as KEPT_OF_LINKS
from adzeguard.directory.ldap_link_times import read_link_times
from adzeguard.directory.ldap_port import Attributes, LdapWire, as_filter_value
from adzeguard.directory.ldap_schema import SCHEMA_FORM, schema_as_json
from adzeguard.directory.ldap_servers import Server, Servers
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import (
    ATTRIBUTES,
    CLASSES,
    LEFT_OF_DELETED,
    DirectoryFacts,
    Entry,
    Inside,
    LinkEnds,
    LinkTime,
    Modification,
)
from adzeguard.kerberos_client import signs_in_by_ticket, use_tickets

_LONGEST_NUMBER: Final = 12
_GUID_BYTES: Final = 16
_ATTEMPTS: Final = 4
_FIRST_PAUSE: Final = 0.5
_LONGEST_WAIT: Final = 3600
_MOST_INSIDE: Final = 100_000
_AT_ONCE: Final = 100
"""SIDs in one question."""
_ONE_AND_ANOTHER: Final = 2
"""Bounds for a server that goes on for ever: members of a privileged group, and what is left of one that is deleted."""
_QUERY: Final = "(|" + "".join(f"(objectClass={name})" for name in CLASSES) + ")"
_T = TypeVar("_T")


def open_ldap(settings: Settings, secret: Secret, _names: Names) -> "LdapDirectory":
    """Connect to the first server of those that the settings name that answers."""
    kerberos, bind_as = signs_in_by_ticket(settings, "directory"), settings.get("bind_as", "")
    keytab = settings.get("keytab", "")

    def server(url: str) -> Server:
        address = _address(settings, url, sealed=kerberos)
        if kerberos:
            return Server(url, _ByTicket(address, keytab, bind_as, secret))
        return Server(url, lambda: _by_password(address, bind_as, secret()))

    return LdapDirectory(Servers([server(url) for url in _urls(settings)]))


def _urls(settings: Settings) -> list[str]:
    urls = settings.get("urls", "").split()
    if bool(urls) == bool(settings.get("url")):
        raise SettingsError("[directory] needs url, or urls for several servers of one domain")
    if len(urls) > 1 and settings.get("tls_name"):
        raise SettingsError("[directory] has tls_name and several urls", "Write each url as its certificate has it")
    return urls or [settings["url"]]


def _address(settings: Settings, url: str, *, sealed: bool) -> Address:
    address = Address(
        url,
        settings.get("ca_file", ""),
        settings.get("tls_name", ""),
        start_tls=settings.get("start_tls") == "true",
        plain=settings.get("plain_ldap") == "true",
        sealed=sealed,
        timeout=_seconds(settings.get("timeout", "30")),
    )
    address.check()
    return address


class _ByTicket:
    """Connects by a ticket: the one that is there, one of a key table, or, with a name, one of a password."""

    def __init__(self, address: Address, keytab: str, bind_as: str, secret: Secret) -> None:
        self._address, self._keytab, self._bind_as, self._secret = address, keytab, bind_as, secret

    def __call__(self) -> LdapWire:
        from adzeguard.directory.ldap_native import NativeWire, Ticket

        use_tickets(self._keytab, self._bind_as, self._secret)
        return NativeWire(self._address, Ticket(by_keys=bool(self._keytab)))


def _by_password(address: Address, bind_as: str, password: str) -> LdapWire:
    """Connect by the system's library where it is installed, which computes less here; by the pure one elsewhere.

    The system's cannot be told another name than that of the URL for a certificate, and says nothing of what is wrong
    with one: then the pure one is asked, which verifies it as strictly.
    """
    from adzeguard.directory.ldap_native import NativeWire, Password, is_there

    if address.tls_name or not is_there():
        return Wire(address, bind_as, password)
    try:
        return NativeWire(address, Password(bind_as, password))
    except DirectoryUnreachableError:
        if not (address.encrypted_from_start or address.start_tls):
            raise
        return Wire(address, bind_as, password)


DRIVER: Final = DriverKind(
    "ldap",
    (
        Setting("url", "The server: ldaps://host[:port]."),
        Setting("urls", "Or several servers of one domain, in the order in which they are tried."),
        Setting("bind_as", r"The name to bind with, like DOMAIN\name or name@domain."),
        Setting(
            "password_file", "A file with the password that only its owner can read.", is_path=True, is_decisive=True
        ),
        Setting("sign_in", "kerberos: by the ticket that is there, or with bind_as by one that a password gets."),
        Setting("keytab", "A key table that gets and renews the ticket.", is_path=True, is_decisive=True),
        Setting("ca_file", "The CA that signed the server's certificate.", is_path=True, is_decisive=True),
        Setting("tls_name", "The name in the certificate, where it is not that of the URL."),
        Setting("start_tls", "Encrypt an ldap:// connection before anything is sent."),
        Setting("plain_ldap", "Send the password unencrypted."),
        Setting("timeout", "Seconds to wait for an answer."),
        Setting(
            "names",
            "lsa: ask the server over SMB, with the same account, what SIDs of other domains mean.",
        ),
    ),
    open_ldap,
)


def _seconds(text: str) -> int:
    if not text.isdecimal() or not 0 < int(text) <= _LONGEST_WAIT:
        raise SettingsError(f"[directory] timeout must be 1 to {_LONGEST_WAIT} whole seconds, not '{text}'")
    return int(text)


class LdapDirectory:
    """One directory server. The connection is made when it is first needed, and made again when it was lost."""

    def __init__(self, servers: Servers, pause: Callable[[float], None] = time.sleep) -> None:
        self._servers = servers
        self._pause = pause
        self._wire: LdapWire | None = None
        self._watching: LdapWire | None = None
        self._base = ""
        self._configuration = ""
        self._facts: DirectoryFacts | None = None

    @property
    def label(self) -> str:
        """The address."""
        return self._servers.url

    @property
    def passed_over(self) -> Sequence[str]:
        """The servers that did not answer before this one did."""
        return self._servers.passed_over

    def wait_for_change(self, seconds: float) -> bool:
        """Wait for the server to tell of a change, over a connection of its own that is kept."""
        if self._watching is None:
            self.facts()
            self._watching = self._servers.connect()
            self._watching.ask_for_changes(self._base)
        try:
            return self._watching.told_of_a_change(seconds)
        except DirectoryError:
            self._watching.close()
            self._watching = None
            raise

    def facts(self) -> DirectoryFacts:
        """Read the server's own entry and the domain object."""
        self._facts = self._with_wire(self._read_facts)
        return self._facts

    def _read_facts(self, wire: LdapWire) -> DirectoryFacts:
        wanted = [
            "defaultNamingContext",
            "configurationNamingContext",
            "highestCommittedUSN",
            "dsServiceName",
        ]
        root = Entry("", wire.read("", wanted) or {})
        self._base = root.text("defaultnamingcontext")
        if not self._base:
            raise DirectoryError(f"{self.label} does not say which domain it serves", "Is it a directory of a domain?")
        top = Entry(self._base, wire.read(self._base, ["objectSid", "objectGUID"]) or {})
        self._configuration = root.text("configurationnamingcontext")
        partitions = f"CN=Partitions,{self._configuration}"
        named = (
            Entry(dn, entry).text("netbiosname")
            # By their class: by this attribute alone a server goes through everything it has.
            for dn, entry in wire.search(
                partitions, "(&(objectClass=crossRef)(nETBIOSName=*))", ["nETBIOSName", "nCName"], descriptors=False
            )
            # A forest lists the short names of all its domains here.
            if Entry(dn, entry).text("ncname").casefold() == self._base.casefold()
        )
        dns_name = domain_of_dn(self._base)
        # An account may be forbidden to read the partitions; the short name is then a good guess.
        short = next(named, "") or dns_name.partition(".")[0].upper()
        service = Entry("", wire.read(root.text("dsservicename"), ["invocationId"]) or {}).first("invocationid")
        invocation = guid_text(service) if service and len(service) == _GUID_BYTES else ""
        domain = Domain(self._base, dns_name, short, domain_sid_of(top))
        return DirectoryFacts(domain, invocation, root.number("highestcommittedusn"))

    def entries(self) -> Iterator[Entry]:
        """Stream every entry, and what the configuration of the forest holds beside them."""
        yield from self._beside(self._streamed(_QUERY))

    def entries_below(self, dn: str) -> Iterator[Entry]:
        """Stream an entry and every entry below it."""
        return self._streamed(_QUERY, dn)

    def changed_since(self, usn: int) -> Iterator[Entry] | None:
        """Stream the entries whose USN is higher ([MS-ADTS] 3.1.1.1.9), what is left of deleted ones among them.

        One question without the classes: the server answers it in half the time of two narrower ones.
        """
        return self._beside(self._streamed(f"(uSNChanged>={usn + 1})", deleted=True))

    def _beside(self, entries: Iterator[Entry]) -> Iterator[Entry]:
        yield from entries
        yield from self._well_known()
        yield from self._sites()

    def _sites(self) -> Iterator[Entry]:
        """Stream the sites, each with the accounts of the servers in it: policies linked there apply as well.

        An account may be forbidden to read them; then there are none.
        """
        self._know_configuration()
        if not self._configuration:
            return
        base, at = f"CN=Sites,{self._configuration}", defaultdict[str, list[bytes]](list)
        wanted = ["serverReference"]
        servers = self._with_wire(
            lambda wire: list(wire.search(base, "(objectClass=server)", wanted, descriptors=False))
        )
        for dn, attributes in servers:
            # CN=QUAY-01,CN=Servers,CN=Lowmere,CN=Sites,…
            at[fold_dn(parent_dn(parent_dn(dn)))] += attributes.get("serverreference", ())
        for site in self._streamed("(objectClass=site)", base):
            yield Entry(site.dn, {**site.attributes, "serverreference": at[fold_dn(site.dn)]})

    def _well_known(self) -> Iterator[Entry]:
        """Stream Everyone, Authenticated Users and the like, which stand in groups as objects of the configuration.

        A server puts the groups into everybody's token in which one of them stands ([MS-ADTS] 6.1.1.2.6), and the
        domain itself does not hold them. They are a few dozen, and read each time: an older collection lacks them.
        """
        self._know_configuration()
        if self._configuration:
            base = f"CN=WellKnown Security Principals,{self._configuration}"
            yield from self._streamed("(objectClass=foreignSecurityPrincipal)", base)

    def _streamed(self, query: str, base: str = "", *, deleted: bool = False) -> Iterator[Entry]:
        """Stream what a query finds. When the connection is lost, it is begun again and what was seen is left out.

        The place in a paged search belongs to its connection, so it cannot be taken up on another one.
        """
        if not self._base:
            self.facts()
        wanted = (*ATTRIBUTES, "isDeleted") if deleted else ATTRIBUTES
        seen: set[bytes | str] = set()
        for attempt in range(_ATTEMPTS):
            try:
                for dn, attributes in self._connected().search(base or self._base, query, wanted, deleted=deleted):
                    identity = (attributes.get("objectguid") or [b""])[0] or dn
                    # Begun again after a lost connection: an object may have been renamed meanwhile, its GUID stays.
                    if identity not in seen:
                        seen.add(identity)
                        yield self._completed(dn, attributes)
            except DirectoryUnreachableError as error:
                self._drop()
                # A silent server was waited for already; four times that would hold a round for minutes.
                if isinstance(error, DirectorySilentError):
                    raise
                if attempt + 1 == _ATTEMPTS:
                    raise
                self._pause(_FIRST_PAUSE * 2**attempt)
            else:
                return

    def read(self, dn: str) -> Entry | None:
        """Read one entry again."""
        entry = self._with_wire(lambda wire: wire.read(dn, ATTRIBUTES))
        return self._completed(dn, entry) if entry is not None else None

    def read_by_sid(self, sid: Sid) -> Entry | None:
        """Read one entry, found by its SID."""
        if not self._base:
            self.facts()
        query = f"(objectSid={as_filter_value(sid.to_bytes())})"
        found = self._with_wire(
            lambda wire: [dn for dn, _ in wire.search(self._base, query, ["objectSid"], descriptors=False)]
        )
        return self.read(found[0]) if len(found) == 1 else None

    def names_of(self, sids: Sequence[Sid]) -> Mapping[Sid, str]:
        """Find many by their SIDs, a hundred a question: each question is a way to the server and back."""
        if not self._base:
            self.facts()
        found: dict[Sid, str] = {}
        for begin in range(0, len(sids), _AT_ONCE):
            some = "".join(f"(objectSid={as_filter_value(sid.to_bytes())})" for sid in sids[begin : begin + _AT_ONCE])
            answers = self._with_wire(partial(_found_by, base=self._base, query=f"(|{some})"))
            found |= {Sid.from_bytes(entry["objectsid"][0]): dn for dn, entry in answers if entry.get("objectsid")}
        return found

    def read_whole(self, dn: str) -> Entry | None:
        """Read one entry with all that is kept in it."""
        entry = self._with_wire(lambda wire: wire.read(dn, ("*", "nTSecurityDescriptor")))
        return self._completed(dn, entry) if entry is not None else None

    def add(self, dn: str, attributes: Mapping[str, Sequence[bytes]]) -> None:
        """Make an entry."""
        self._once(lambda wire: wire.add(dn, attributes))

    def restore(self, sid: Sid, dn: str) -> bool:
        """Bring a deleted entry back ([MS-ADTS] 3.1.1.5.3.7, reanimation), which takes a right of its own."""
        # The name of a deleted object holds its GUID, and is not known before it was asked for.
        kept = self._what_is_left(sid)
        if len(kept) != 1:
            return False
        try:
            self._once(lambda wire: wire.restore(kept[0], dn))
        # Without the right to reanimate, or where its parent is gone: it is made anew instead, under another SID.
        except ChangeRefusedError:
            return False
        return True

    def schema_since(self, stamp: str) -> tuple[str, str] | None:
        """Return the schema of the forest, where something in it was changed since."""
        facts = self._facts or self.facts()
        invocation, usn, form = (*stamp.split(":"), "", "")[:3]
        self._know_configuration()
        base = f"CN=Schema,{self._configuration}"
        if invocation == facts.invocation_id and usn.isdecimal() and form == SCHEMA_FORM:
            query = f"(uSNChanged>={int(usn) + 1})"
            if not any(True for _ in self._connected().search(base, query, ["cn"], descriptors=False)):
                return None
        found = self._with_wire(lambda wire: schema_as_json(wire, base, f"CN=Extended-Rights,{self._configuration}"))
        return found, f"{facts.invocation_id}:{facts.highest_usn}:{SCHEMA_FORM}"

    def said_to_be_inside(self, dn: str) -> Sequence[Entry]:
        """Find them by their `memberOf`, from which a server makes tokens ([MS-ADTS] 3.1.1.1.6)."""
        if not self._base:
            self.facts()
        name = as_filter_value(dn.encode("utf-8", "surrogateescape"))
        found = self._connected().search(self._base, f"(memberOf={name})", ["objectSid"], descriptors=False)
        return [Entry(one, attributes) for one, attributes in islice(found, _MOST_INSIDE)]

    def was_deleted(self, sid: Sid) -> bool:
        """Tell whether a tombstone of this SID is there ([MS-ADTS] 3.1.1.1.5.1); not everybody may see them."""
        return bool(self._what_is_left(sid))

    def inside(self, sid: Sid) -> Inside | None:
        """Find the members by their back-links and primary groups: one question, however many they are."""
        group = self.read_by_sid(sid)
        if group is None:
            return None
        if b"group" not in group.classes:
            return Inside(group, (), all_told=True)
        rid = str(sid).rpartition("-")[2]
        name = as_filter_value(group.dn.encode("utf-8", "surrogateescape"))
        query = f"(|(memberOf={name})(primaryGroupID={rid}))"
        wanted = ["objectClass", "objectSid", "sAMAccountName", "userAccountControl", "groupType"]
        found = self._connected().search(self._base, query, wanted, descriptors=False)
        members = [Entry(dn, attributes) for dn, attributes in islice(found, _MOST_INSIDE + 1)]
        names = {fold_dn(member.dn) for member in members}
        listed = {fold_dn(value.decode("utf-8", "surrogateescape")) for value in group.attributes.get("member", ())}
        return Inside(group, members, all_told=listed <= names and len(members) <= _MOST_INSIDE)

    def deleted(self) -> Iterator[Entry]:
        """Stream what is left of deleted objects, for as long as the server keeps it (`tombstoneLifetime`)."""
        if not self._base:
            self.facts()
        query = f"(&(isDeleted=TRUE){_QUERY})"
        found = self._connected().search(self._base, query, LEFT_OF_DELETED, descriptors=False, deleted=True)
        for dn, attributes in found:
            yield Entry(dn, attributes)

    def _what_is_left(self, sid: Sid) -> list[str]:
        if not self._base:
            self.facts()
        query = f"(&(isDeleted=TRUE)(objectSid={as_filter_value(sid.to_bytes())}))"
        found = self._connected().search(self._base, query, ["isDeleted"], descriptors=False, deleted=True)
        return [dn for dn, _ in islice(found, _ONE_AND_ANOTHER)]

    def rename(self, dn: str, new_dn: str) -> None:
        """Give an entry another name or container."""
        self._once(lambda wire: wire.rename(dn, split_dn(new_dn)[0], parent_dn(new_dn)))

    def delete(self, dn: str) -> None:
        """Remove an entry."""
        self._once(lambda wire: wire.delete(dn))

    def modify(self, dn: str, modifications: Sequence[Modification]) -> None:
        """Change one entry."""
        self._once(lambda wire: wire.modify(dn, modifications))

    def link_ends(self) -> LinkEnds:
        """Read whether the forest knows the feature, and has it on."""
        self._know_configuration()
        return self._with_wire(lambda wire: read_link_ends(wire, self._configuration))

    def switch_on_link_ends(self) -> None:
        """Switch the feature on in the whole forest."""
        self._know_configuration()
        self._once(lambda wire: switch_on_link_ends(wire, self._configuration))

    def link_until(self, dn: str, attribute: str, to: str, ends: datetime | None, *, anew: bool) -> None:
        """Make a link with an end."""
        changes = link_with_end(attribute, to, ends, datetime.now(UTC), anew=anew)
        self._once(lambda wire: wire.modify(dn, changes))

    def link_end(self, dn: str, attribute: str, to: str) -> datetime | None:
        """Read when a link ends."""
        seconds = seconds_left(self._values(dn, attribute, link_ends=True), to)
        return datetime.now(UTC) + timedelta(seconds=seconds) if seconds is not None else None

    def link_times(self, dn: str, attribute: str) -> Sequence[LinkTime]:
        """Read what the server keeps of the last change of each link."""
        return list(read_link_times(self._values(dn, KEPT_OF_LINKS), attribute))

    def _know_configuration(self) -> None:
        if not self._configuration:
            self.facts()

    def _values(self, dn: str, attribute: str, *, link_ends: bool = False) -> Sequence[bytes]:
        """Read all values of one attribute, however many answers they take."""

        def read(wanted: str) -> Attributes:
            return self._with_wire(lambda wire: wire.read(dn, [wanted], link_ends=link_ends)) or {}

        return complete_ranges(read(attribute), read).get(attribute.lower(), [])

    def _once(self, write: Callable[[LdapWire], None]) -> None:
        """Write. It is not tried again by itself: whether a lost request was done must be read first."""
        try:
            write(self._connected())
        except DirectoryUnreachableError:
            self._drop()
            raise

    def close(self) -> None:
        """End the connections."""
        self._drop()
        if self._watching is not None:
            self._watching.close()
            self._watching = None

    def _completed(self, dn: str, attributes: Attributes) -> Entry:
        """Fetch the rest of attributes that the server gave only a range of ([MS-ADTS] 3.1.1.3.1.3.3).

        It takes a second connection while a search is being read on the first.
        """
        ranged = [name for name in attributes if ";range=" in name]
        if not ranged:
            return Entry(dn, attributes)
        wire = self._servers.connect()
        try:
            return Entry(dn, complete_ranges(attributes, lambda wanted: wire.read(dn, [wanted]) or {}))
        finally:
            wire.close()

    def _with_wire(self, task: Callable[[LdapWire], _T]) -> _T:
        """Do a task that may safely be done twice, with a new connection where the old one was lost."""
        for attempt in range(_ATTEMPTS):
            try:
                return task(self._connected())
            except DirectoryUnreachableError as error:
                had_connection = self._wire is not None
                self._drop()
                if isinstance(error, DirectorySilentError) or not had_connection or attempt + 1 == _ATTEMPTS:
                    raise
                self._pause(_FIRST_PAUSE * 2**attempt)
        raise AssertionError("the last attempt returns or raises")

    def _connected(self) -> LdapWire:
        if self._wire is None:
            self._wire = self._servers.connect()
        return self._wire

    def _drop(self) -> None:
        if self._wire is not None:
            self._wire.close()
            self._wire = None
            self._facts = None  # the next server may be another one


def _found_by(wire: LdapWire, *, base: str, query: str) -> list[tuple[str, Attributes]]:
    return list(wire.search(base, query, ["objectSid"], descriptors=False))


def complete_ranges(attributes: Attributes, fetch: Callable[[str], Attributes]) -> Attributes:
    """Return the attributes with every range "name;range=0-1499" replaced by all values of the name.

    `fetch` asks for one ranged attribute. The last part comes with a star for its end. `DirectoryError` when the server
    goes round in circles.
    """
    whole = {name: values for name, values in attributes.items() if ";range=" not in name}
    for ranged, first_part in attributes.items():
        name, _, bounds = ranged.partition(";range=")
        if not bounds:
            continue
        values = list(first_part)
        while not bounds.endswith("*"):
            last = bounds.partition("-")[2]
            if not last.isdecimal() or len(last) > _LONGEST_NUMBER:
                raise DirectoryError(f"the directory says '{ranged[:60]}', which is no range of values")
            following = int(last) + 1
            answer = fetch(f"{name};range={following}-*")
            part = next((n for n in answer if n.startswith(f"{name};range=")), "")
            bounds = part.partition(";range=")[2]
            if bounds.partition("-")[0] != str(following) or not answer[part]:
                raise DirectoryError(f"the directory gives the values of {name} out of order")
            values += answer[part]
        whole[name] = values
    return whole
