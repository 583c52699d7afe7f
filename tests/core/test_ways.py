"""Each way into a group that cannot be tried on a server, such as policies, other credentials and replication."""

import json
from collections.abc import Mapping

import pytest

from adzeguard.core.descriptors.descriptor import PROTECTED, Descriptor
from adzeguard.core.descriptors.sddl import entries_of_text
from adzeguard.core.estate.assembly import assemble
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Flag, Kind
from adzeguard.core.estate.rows import Observed
from adzeguard.core.rights.cut import smallest_cut
from adzeguard.core.rights.reach import ReachFinder
from adzeguard.core.rights.reach_words import reaching
from adzeguard.directory.schema import standard_schema
from tests.estates import BASE, DOMAIN, NOON, rights_of, row

SCHEMA = standard_schema()
RID = {"eve": 1101, "ada": 1102, "Crew": 1201, "Desk": 1202, "Mail": 1203, "DC1": 1301, "Servers": 516, "Guests": 1204}
PLACES = {
    "domain": (Kind.DOMAIN, BASE),
    "People": (Kind.OU, f"OU=People,{BASE}"),
    "Deck": (Kind.OU, f"OU=Deck,OU=People,{BASE}"),
    "Quay": (Kind.OU, f"OU=Quay,{BASE}"),
    "Policy": (Kind.POLICY, f"CN={{1}},CN=Policies,CN=System,{BASE}"),
    "eve": (Kind.USER, f"CN=eve,OU=Quay,{BASE}"),
    "ada": (Kind.USER, f"CN=ada,OU=Deck,OU=People,{BASE}"),
    "Crew": (Kind.GROUP, f"CN=Crew,OU=Quay,{BASE}"),
    "Desk": (Kind.GROUP, f"CN=Desk,OU=Quay,{BASE}"),
    "Mail": (Kind.GROUP, f"CN=Mail,OU=Quay,{BASE}"),
    "Servers": (Kind.GROUP, f"CN=Servers,OU=Quay,{BASE}"),
    "Racks": (Kind.OU, f"OU=Racks,{BASE}"),
    "DC1": (Kind.COMPUTER, f"CN=DC1,OU=Racks,{BASE}"),
}
MEMBERS = {"Crew": ("ada", "Mail"), "Desk": ("eve",), "Servers": ("DC1",)}
LINK = f"[LDAP://{PLACES['Policy'][1]};%d]"


def attribute(name: str) -> str:
    """The GUID of an attribute, as text of an entry."""
    return str(SCHEMA.attributes[name][0])


def control(name: str) -> str:
    """The GUID of a control right."""
    return str(SCHEMA.control_rights[name])


def class_(name: str) -> str:
    """The GUID of a class."""
    return str(SCHEMA.classes[name])


def estate(entries: Mapping[str, str], details: Mapping[str, dict], members: Mapping[str, tuple[str, ...]]) -> Estate:
    """The made-up domain with these rights (`P:` first takes nothing from above), details and further members."""
    seen = []
    for name, (kind, dn) in PLACES.items():
        flags = (
            Flag.GLOBAL | (Flag(0) if name == "Mail" else Flag.SECURITY_GROUP) if kind == Kind.GROUP else Flag.ENABLED
        )
        text = entries.get(name, "")
        control = 0x8004 | (PROTECTED if text.startswith("P:") else 0)
        packed = Descriptor(None, None, None, control=control).with_entries(entries_of_text(text, DOMAIN.sid))
        made = row(name, kind, RID.get(name, 0), flags=flags, dn=dn)
        made = made._replace(
            key=dn.encode(), descriptor=packed.to_bytes(), details=json.dumps(details.get(name, {})) if details else ""
        )
        inside = (*MEMBERS.get(name, ()), *members.get(name, ()))
        seen.append(Observed(made, tuple(PLACES[member][1] for member in inside)))
    whole = assemble(DOMAIN, seen, range(len(seen)))
    return Estate(NOON, DOMAIN, whole.objects, whole.graph)


def entry(rights: str, about: str = "", who: str = "Desk", flags: str = "", for_class: str = "") -> str:
    """One entry that allows, as text."""
    kind = "OA" if about or for_class else "A"
    return f"({kind};{flags};{rights};{about};{for_class};{DOMAIN.sid}-{RID[who]})"


BOTH_REPLICATE = entry("CR", control("DS-Replication-Get-Changes")) + entry(
    "CR", control("DS-Replication-Get-Changes-All")
)
OWN_RENAMING = entry("WP", attribute("cn")) + entry("WP", attribute("name"))
RESET_BELOW = entry("CR", control("User-Force-Change-Password"), flags="CIIO", for_class=class_("user"))
APPLYING = f"(OA;;CR;{control('Apply-Group-Policy')};;{{}})"
FOR_ALL, FOR_ADA = (APPLYING.format(sid) for sid in ("AU", f"{DOMAIN.sid}-{RID['ada']}"))
CASES: dict[str, tuple[dict, dict, dict, str]] = {
    "a certificate": ({"ada": entry("WP", attribute("altSecurityIdentities"))}, {}, {}, "let a certificate of theirs"),
    "a key": ({"ada": entry("WP", attribute("msDS-KeyCredentialLink"))}, {}, {}, "add a key that signs in as"),
    "acting": (
        {"ada": entry("WP", attribute("msDS-AllowedToActOnBehalfOfOtherIdentity"))},
        {},
        {},
        "who acts for anybody",
    ),
    "a property set": (
        {"ada": entry("WP", str(SCHEMA.property_sets["User-Account-Restrictions"]))},
        {},
        {},
        "acts for",
    ),
    "control": ({"ada": entry("WP", attribute("userAccountControl"))}, {}, {}, "may change how"),
    "a script": ({"ada": entry("WP", attribute("scriptPath"))}, {}, {}, "may set what runs"),
    "a title": ({"ada": entry("WP", attribute("title"))}, {}, {}, ""),
    "linking": ({"Deck": entry("WP", attribute("gPLink"))}, {}, {}, "may link directory policies to Deck"),
    "linking above": ({"domain": entry("WP", attribute("gPLink")), "ada": "P:"}, {}, {}, "may link directory policies"),
    "linking elsewhere": ({"Quay": entry("WP", attribute("gPLink"))}, {}, {}, ""),
    "ruling the OU of a closed account": ({"Deck": entry("WD"), "ada": "P:"}, {}, {}, "has policies that apply to"),
    "a policy's folder": (
        {"Policy": entry("WP", attribute("gPCFileSysPath")) + FOR_ALL},
        {"People": {"policy_links": LINK % 0}},
        {},
        "may change what the policy Policy does",
    ),
    "a policy for one": (
        {"Policy": entry("WP", attribute("gPCFileSysPath")) + FOR_ADA},
        {"People": {"policy_links": LINK % 0}},
        {},
        "may change what the policy Policy does, which is a policy that applies to",
    ),
    "a policy for others": (
        {"Policy": entry("WP", attribute("gPCFileSysPath")) + entry("CR", control("Apply-Group-Policy"))},
        {"People": {"policy_links": LINK % 0}},
        {},
        "",
    ),
    "a policy that is denied": (
        {"Policy": entry("WP", attribute("gPCFileSysPath")) + FOR_ADA.replace("OA", "OD") + FOR_ALL},
        {"People": {"policy_links": LINK % 0}},
        {},
        "",
    ),
    "a policy that is for others and whose rights may be changed": (
        {"Policy": entry("WD") + FOR_ADA.replace("OA", "OD") + FOR_ALL},
        {"People": {"policy_links": LINK % 0}},
        {},
        "may change the rights over Policy, which is a policy that could be made to apply to",
    ),
    "a link that is off": ({"Policy": entry("WD")}, {"People": {"policy_links": LINK % 1}}, {}, ""),
    "a link that is blocked": (
        {"Policy": entry("WD")},
        {"domain": {"policy_links": LINK % 0}, "Deck": {"policy_options": "1"}, "Racks": {"policy_options": "1"}},
        {},
        "",
    ),
    "a link that is enforced": (
        {"Policy": entry("WD") + FOR_ALL},
        {"domain": {"policy_links": LINK % 2}, "Deck": {"policy_options": "1"}},
        {},
        "is a policy that applies to",
    ),
    "replication": ({"domain": BOTH_REPLICATE}, {}, {}, "may replicate the secrets of domain"),
    "half of replication": ({"domain": entry("CR", control("DS-Replication-Get-Changes-All"))}, {}, {}, ""),
    "a directory server": (
        {"DC1": entry("CR", control("User-Force-Change-Password"))},
        {},
        {},
        "is a directory server of domain",
    ),
    "members of a mail group": ({"Mail": entry("WP", attribute("member"))}, {}, {}, ""),
    "a mail group turned": (
        {"Mail": entry("WP", attribute("member")) + entry("WP", attribute("groupType"))},
        {},
        {},
        "may make LOWMERE\\Mail a security group and change its members",
    ),
    "a mail group turned from inside": (
        {"Mail": entry("WP", attribute("groupType"))},
        {},
        {"Mail": ("eve",)},
        "being in it, may make LOWMERE\\Mail a security group",
    ),
    "a mail group turned from outside": ({"Mail": entry("WP", attribute("groupType"))}, {}, {}, ""),
    "a move": (
        {"ada": OWN_RENAMING + entry("SD"), "Quay": entry("CC", class_("user")) + RESET_BELOW},
        {},
        {},
        "may move LOWMERE\\ada to where more is theirs",
    ),
    "a move without deleting": ({"ada": OWN_RENAMING, "Quay": entry("CC", class_("user")) + RESET_BELOW}, {}, {}, ""),
    "a move without creating": ({"ada": OWN_RENAMING + entry("SD"), "Quay": RESET_BELOW}, {}, {}, ""),
    "a move of what is closed": (
        {"ada": "P:" + OWN_RENAMING + entry("SD"), "Quay": entry("CC", class_("user")) + RESET_BELOW},
        {},
        {},
        "",
    ),
    "a move of what is closed to where policies are linked": (
        {
            "ada": "P:" + OWN_RENAMING + entry("SD"),
            "Quay": entry("CC", class_("user")) + entry("WP", attribute("gPLink")),
        },
        {},
        {},
        "may move",
    ),
    "a move of the OU": (
        {
            "Deck": entry("WP", attribute("ou")) + entry("WP", attribute("name")) + entry("SD"),
            "Quay": entry("CC", class_("organizationalUnit")) + RESET_BELOW,
        },
        {},
        {},
        "may move LOWMERE\\ada",
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_each_way_is_seen_with_its_words_and_is_none_where_a_part_is_missing(name: str) -> None:
    """Eve, in Desk, reaches Crew by what Desk was given, or does not; and the cut closes every way."""
    entries, details, members, words = CASES[name]
    of = estate(entries, details, members)
    [crew] = of.catalogue.by_name("Crew")
    graph = ReachFinder(rights_of(of)).graph(crew)
    ways = {found.principal.name: found.words for found in reaching(of, graph)}

    assert words in ways["eve"] if words else "eve" not in ways, ways.get("eve")
    if words:
        [eve, ada] = (of.catalogue.by_name(person)[0] for person in ("eve", "ada"))
        cut = smallest_cut(graph, [eve], [ada])
        assert not cut.stays_open
        assert cut.edges
