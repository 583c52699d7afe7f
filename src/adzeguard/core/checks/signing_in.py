"""Ways of signing in as somebody else: delegation, services, keys, and passwords that can be guessed or read."""

from collections.abc import Callable, Iterator, Mapping
from collections.abc import Set as AbstractSet
from typing import Any, Final

from adzeguard.core.access.members import people_inside
from adzeguard.core.check_row import Severity
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.check_input import CheckInput
from adzeguard.core.checks.finding import Finding
from adzeguard.core.estate.delegation_right import lets_act
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.names import host_named
from adzeguard.core.estate.principal import ACCOUNTS, Flag, Kind, Principal
from adzeguard.core.estate.rows import NEVER
from adzeguard.core.identity import Sid
from adzeguard.core.rights.acting_as import service_host
from adzeguard.core.rights.reach import ruling_ids
from adzeguard.core.wellknown import DIRECTORY_SERVER_GROUPS, EVERYONE_LIKE, RID_GUEST
from adzeguard.core.wording import some_of

_A_DAY: Final = 86_400
_OLDEST_MASTER_KEY: Final = 180
"""Days. Nobody makes it anew by itself."""
_RID_MASTER_KEY: Final = 502
"""Of the account whose key every ticket is made with ([MS-ADTS] 6.1.1.6.4)."""
_AES: Final = 0x18
"""Of msDS-SupportedEncryptionTypes, the two ciphers that are not broken ([MS-KILE] 2.2.7)."""
_SHOWN: Final = 5
_PEOPLE: Final = frozenset({Kind.USER})


def _by_flag(
    check: str, flag: Flag, said: str, kinds: AbstractSet[Kind] = ACCOUNTS
) -> Callable[[CheckInput], Iterator[Finding]]:
    """Return what yields the enabled accounts of which this is true, but for guests and servers of the directory."""

    def find(looked_at: CheckInput) -> Iterator[Finding]:
        catalogue = looked_at.estate.catalogue
        marked = catalogue.principals(catalogue.flagged(flag).tolist()).values()
        found = [one for one in marked if one.kind in kinds and one.enabled and not _is_left_out(one)]
        inside = _inside(looked_at) if found else frozenset()
        for one in sorted(found, key=lambda p: p.qualified_name.casefold()):
            yield Finding(check, Named.of(one), said, evidence={"privileged": one.id in inside})

    return find


def _is_left_out(one: Principal) -> bool:
    """A server of the directory is trusted with everybody's tickets, and a guest has no password."""
    rid = one.sid.rid if one.sid is not None else 0
    return one.primary_group_rid in DIRECTORY_SERVER_GROUPS or rid == RID_GUEST


def _inside(looked_at: CheckInput) -> frozenset[int]:
    graph, groups = looked_at.estate.graph, [group.id for group in looked_at.privileged]
    return frozenset(people_inside(graph, groups).tolist())


def check_signing_in(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield what stands in attributes of accounts: whom they act for, their services, certificates and keys."""
    estate = looked_at.estate
    inside = _inside(looked_at)
    marked = estate.catalogue.principals(estate.catalogue.with_detail("signing_in").tolist())
    for one in sorted(marked.values(), key=lambda p: p.qualified_name.casefold()):
        ways: Mapping[str, Any] = one.details.get("signing_in") or {}
        if one.kind == Kind.DOMAIN and (quota := int(ways.get("computer_quota", 0))):
            said = f"everybody who signs in may make {quota} computers here, and owns each"
            yield Finding("joins-by-anybody", Named.of(one), said, evidence={"quota": quota})
        if one.enabled and one.kind in ACCOUNTS and not _is_left_out(one):
            yield from _of_account(estate, one, ways, privileged=one.id in inside)


def _of_account(estate: Estate, one: Principal, ways: Mapping[str, Any], *, privileged: bool) -> Iterator[Finding]:
    about, encryption = Named.of(one), int(ways.get("encryption", 0))
    if services := ways.get("acts_towards"):
        crown = [name for name in services if _is_of_directory(estate, name)]
        how = "in the name of anybody" if one.flags & Flag.ACTS_FOR_ANYBODY else "for those who sign in to it"
        check = "acts-towards-directory" if crown else "acts-towards"
        said = f"it acts {how} towards {some_of(crown or services, _SHOWN)}"
        yield Finding(check, about, said, evidence={"services": services})
    if holders := ways.get("acted_for_by"):
        said = f"{_names(estate, holders)} may act in the name of anybody towards it"
        yield Finding("acted-towards", about, said, evidence={"holders": holders})
    if services := ways.get("services"):
        weak = "" if encryption & _AES else ", and its ticket can be had with a broken cipher"
        said = f"anybody may ask for a ticket for {some_of(services, _SHOWN)} and guess its password by that{weak}"
        check = "guessable-privileged" if privileged else "guessable-service"
        yield Finding(check, about, said, evidence={"services": services})
    if encryption and not encryption & _AES:
        yield Finding("old-ciphers", about, "it takes no cipher but broken ones", evidence={"privileged": privileged})
    if privileged and (ways.get("certificates") or ways.get("keys")):
        parts = [f"a certificate of {name}" for name in ways.get("certificates", ())]
        parts += [f"{ways['keys']} keys beside its password"] if ways.get("keys") else []
        said = f"also {some_of(parts, _SHOWN)} can sign in as it"
        yield Finding("other-ways-in", about, said, evidence={"ways": parts})
    if readers := [sid for sid in ways.get("password_readers", ()) if sid in EVERYONE_LIKE]:
        said = f"{_names(estate, readers)} may read its password"
        yield Finding("password-for-everybody", about, said, evidence={"holders": readers})


def _is_of_directory(estate: Estate, service: str) -> bool:
    """Tell whether a service, such as `cifs/dc1.lowmere.example`, is one of a directory server.

    The class of a ticket's service can be renamed (seen: a ticket for HTTP was taken by the file server), so that the
    host alone decides.
    """
    host = estate.host_named(service_host(service))
    return host is not None and host.is_of_directory


def _names(estate: Estate, sids: list[str]) -> str:
    known = estate.who_are(map(Sid, sids))
    return some_of(sorted(known[Sid(sid)].qualified_name for sid in sids), _SHOWN)


def check_master_key(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield the accounts whose keys make tickets, where nobody has made the keys anew for long."""
    estate = looked_at.estate
    ids = map(estate.id_of_sid, estate.domain.accounts(_RID_MASTER_KEY))
    for one in (estate.principal(found) for found in ids if found is not None):
        set_at = one.details.get("password_set", NEVER)
        days = int((looked_at.moment.timestamp() - set_at) // _A_DAY)
        if set_at != NEVER and days > _OLDEST_MASTER_KEY:
            said = f"its key is {days} days old: anyone who has read it makes tickets for anybody"
            yield Finding("old-master-key", Named.of(one), said, evidence={"days": days})


def check_letting_act(looked_at: CheckInput) -> Iterator[Finding]:
    """Yield who may let accounts act for others, as servers of the directory tell it, and does not rule it anyway."""
    estate = looked_at.estate
    for host in estate.hosts:
        holders = lets_act(host.state) if host.is_of_directory and host.state is not None else ()
        if not holders:
            continue
        ruling, ids = ruling_ids(estate, estate.domain.holding(host.dn)), estate.ids_of_sids(holders)
        others = sorted(sid for sid in holders if ids[sid] not in ruling)
        known = estate.who_are(others)
        for holder, sid in ((known[sid], sid) for sid in others):
            said = f"{host.name} lets it set accounts free to act in the name of anybody"
            yield Finding("lets-accounts-act", Named.of(holder), said, host=host_named(host), evidence={"sid": sid})


_BY_RULE: Final = "Write a rule for it: account-standard: {}"
_AT_SERVER: Final = (
    "Empty msDS-AllowedToDelegateTo of it, at a directory server. Until then a rule keeps the privileged out of its "
    "reach: account-standard: [not-delegated, protected]"
)

SIGNING_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "trusted-for-any-service",
        "A host or account is given the tickets of everybody",
        "An intruder there acts as anybody who has signed in to it.",
        _BY_RULE.format("no-delegation") + "; for the privileged: [not-delegated, protected]",
        Severity.HIGH,
        _by_flag("trusted-for-any-service", Flag.ANY_SERVICE, "it gets the tickets of everybody who signs in to it"),
        evidence=("privileged",),
    ),
    Check(
        "acts-towards-directory",
        "An account acts for others towards a directory server",
        "Anyone who has its password acts as anybody at that server, and so controls the directory.",
        _AT_SERVER,
        Severity.CRITICAL,
        check_signing_in,
        evidence=("services",),
    ),
    Check(
        "acts-towards",
        "An account acts for others towards a host",
        "Anyone who has its password acts as anybody at that host: the kind of service can be changed in the ticket.",
        _AT_SERVER,
        Severity.HIGH,
        check_signing_in,
        evidence=("services",),
    ),
    Check(
        "lets-accounts-act",
        "Somebody beside administrators may let accounts act for others",
        "With the attributes of one account theirs to write, they are anybody at every server of the directory.",
        "Take the privilege to enable delegation away from it, at a directory server",
        Severity.HIGH,
        check_letting_act,
        evidence=("sid",),
    ),
    Check(
        "acted-towards",
        "A host or account lets others act for anybody towards it",
        "They are anybody there.",
        "Empty msDS-AllowedToActOnBehalfOfOtherIdentity of it, at a directory server",
        Severity.HIGH,
        check_signing_in,
        evidence=("holders",),
    ),
    Check(
        "guessable-privileged",
        "A privileged account of a person has services",
        "Anybody may ask for its ticket, and guess its password for as long as they like.",
        "Give the service a managed account of its own, and write a rule for this one: account-standard: "
        "no-service-names",
        Severity.HIGH,
        check_signing_in,
        evidence=("services",),
    ),
    Check(
        "guessable-service",
        "An account of a person has services",
        "Anybody may ask for its ticket, and guess its password for as long as they like.",
        "Give the service a managed account of its own, or this one a long password; and write a rule for it: "
        "account-standard: modern-encryption",
        Severity.MEDIUM,
        check_signing_in,
        evidence=("services",),
    ),
    Check(
        "sign-in-unproven",
        "The server gives anyone who asks something to guess a password by",
        "No account is needed to ask, and no server notes the guessing.",
        _BY_RULE.format("pre-authentication"),
        Severity.HIGH,
        _by_flag("sign-in-unproven", Flag.UNPROVEN, "it need not prove itself before it is given a ticket"),
        evidence=("privileged",),
    ),
    Check(
        "password-optional",
        "An account may go without a password",
        "Anyone who sets its password may set an empty one.",
        _BY_RULE.format("password-needed"),
        Severity.MEDIUM,
        # A machine sets its own; many are made with this bit, and a server sets it by itself (Samba 4.17).
        _by_flag("password-optional", Flag.PASSWORD_OPTIONAL, "no policy asks it for a password", _PEOPLE),
        evidence=("privileged",),
    ),
    Check(
        "readable-password",
        "A password is kept so that it can be read",
        "Anyone who reads the directory's secrets has it in clear text.",
        _BY_RULE.format("password-hidden") + "; then a new password",
        Severity.HIGH,
        _by_flag("readable-password", Flag.PASSWORD_READABLE, "its next password is kept so that it can be read"),
        evidence=("privileged",),
    ),
    Check(
        "old-ciphers",
        "An account signs in by broken ciphers",
        "Its tickets can be read in days.",
        _BY_RULE.format("modern-encryption") + "; then a new password",
        Severity.MEDIUM,
        check_signing_in,
        evidence=("privileged",),
    ),
    Check(
        "des-alone",
        "An account signs in by a cipher of 1977",
        "Its tickets can be read in hours.",
        "Let it sign in by other ciphers, at a directory server; then a new password",
        Severity.MEDIUM,
        _by_flag("des-alone", Flag.OLD_CIPHERS, "it takes tickets by DES alone"),
        evidence=("privileged",),
    ),
    Check(
        "other-ways-in",
        "A certificate or a key signs in as a privileged account",
        "Changing its password keeps nobody out who has that.",
        "Take it out of the account, at a directory server, unless it is known; who put it in: adzeguard history",
        Severity.HIGH,
        check_signing_in,
        evidence=("ways",),
    ),
    Check(
        "password-for-everybody",
        "Everybody may read the password of a managed account",
        "Everybody is that account.",
        "Name the hosts that need it in msDS-GroupMSAMembership, at a directory server",
        Severity.CRITICAL,
        check_signing_in,
        evidence=("holders",),
    ),
    Check(
        "joins-by-anybody",
        "Everybody may make computers in the directory",
        "The person who makes one owns it, and has the rights that are granted to computers.",
        "Set ms-DS-MachineAccountQuota of the domain to 0, at a directory server; grant it where it is needed: "
        "adzeguard grant give GROUP 'create computer' --over OU",
        Severity.MEDIUM,
        check_signing_in,
        evidence=("quota",),
    ),
    Check(
        "old-master-key",
        "The key by which all tickets are made is old",
        "Anyone who has read it once makes tickets for anybody until it is changed twice.",
        "Make the password of this account anew, twice, a day apart, at a directory server",
        Severity.MEDIUM,
        check_master_key,
        evidence=("days",),
    ),
)
