"""Lowmere Ferries: one description of the example, from which its LDIF file, its hosts and a real domain are made.

Everything is made up. What is planted, so that each command has something to find, is marked with "Planted".
"""

from dataclasses import field
from typing import Final

from adzeguard.core.values import dataclass
from adzeguard.demo.people import full_names

SHORT_NAME: Final = "LOWMERE"
DNS_NAME: Final = "lowmere.example"
BASE_DN: Final = "DC=lowmere,DC=example"
PEOPLE: Final = 180
HOSTS: Final = 64

_ENABLED, _DISABLED = True, False


@dataclass
class Person:
    """An account of somebody."""

    account: str
    full_name: str
    ou: str
    title: str = ""
    department: str = ""
    enabled: bool = True
    primary_group: str = "Domain Users"
    idle_days: int = 2
    age_days: int = 900
    expires_in_days: int | None = None

    @property
    def dn(self) -> str:
        """Where the account stands."""
        return f"CN={self.full_name},{self.ou},{BASE_DN}"


@dataclass
class GroupSpec:
    """A group that staff made."""

    name: str
    description: str = ""
    scope: str = "global"
    security: bool = True
    members: list[str] = field(default_factory=list)

    @property
    def dn(self) -> str:
        """Where the group stands."""
        return f"CN={self.name},OU=Groups,{BASE_DN}"


@dataclass
class HostSpec:
    """A computer, and who is in its local groups. A name with a backslash in front is an account of the host itself."""

    name: str
    ou: str
    administrators: list[str]
    local_accounts: list[str] = field(default_factory=list)
    local_groups: dict[str, list[str]] = field(default_factory=dict)
    remote_users: list[str] = field(default_factory=list)
    offline: bool = False
    idle_days: int = 1

    @property
    def dn(self) -> str:
        """Where the computer stands."""
        return f"CN={self.name},{self.ou},{BASE_DN}"


@dataclass
class PolicySpec:
    """A directory policy; `linked_to` are OUs, `empty` means that it sets nothing."""

    name: str
    linked_to: tuple[str, ...] = ()
    empty: bool = False


@dataclass(frozen=True)
class Delegation:
    """One right that somebody gave. `about` is an attribute, class or control right; `below` a class that it is for."""

    to: str
    right: str
    over: str
    about: str = ""
    below: str = ""
    inherited: bool = False
    deny: bool = False


@dataclass
class Scenario:
    """The whole example. `builtin_members` adds to groups that every domain has."""

    ous: list[str]
    people: list[Person]
    groups: list[GroupSpec]
    hosts: list[HostSpec]
    policies: list[PolicySpec]
    builtin_members: dict[str, list[str]]
    delegations: list[Delegation]
    dangling_rid: int = 9417
    """Planted: the SID of an account that no longer exists, written "?"."""

    def group(self, name: str) -> GroupSpec:
        """Return one of the groups."""
        return next(group for group in self.groups if group.name == name)


OUS: Final = [
    "OU=People",
    "OU=Bridge,OU=People",
    "OU=Engine Room,OU=People",
    "OU=Galley,OU=People",
    "OU=Booking Office,OU=People",
    "OU=Shore Office,OU=People",
    "OU=Administrators,OU=People",
    "OU=Hosts",
    "OU=Ticket Kiosks,OU=Hosts",
    "OU=Bridge Consoles,OU=Hosts",
    "OU=Shore Laptops,OU=Hosts",
    "OU=Harbour Machines,OU=Hosts",
    "OU=Groups",
    "OU=Quay",
    "OU=Retired",
]

_DEPARTMENTS: Final = {
    "Bridge": ("Deck Officer", "Helmsman", "Lookout"),
    "Engine Room": ("Engineer", "Oiler", "Electrician"),
    "Galley": ("Cook", "Steward", "Baker"),
    "Booking Office": ("Booking Clerk", "Timetable Editor", "Booking Lead"),
    "Shore Office": ("Accountant", "Purchaser", "Port Agent"),
}
_CREWS: Final = {
    "Bridge": "Bridge Crew",
    "Engine Room": "Engine Crew",
    "Galley": "Galley Crew",
    "Booking Office": "Booking Office Staff",
    "Shore Office": "Shore Office Staff",
}


def lowmere(people: int = PEOPLE, hosts: int = HOSTS) -> Scenario:
    """Return the example; more people and hosts than usual fill it up without changing what is planted."""
    staff = _staff(people)
    groups = _groups(staff)
    return Scenario(list(OUS), staff, groups, _hosts(hosts), _policies(), _builtin_members(), _delegations())


def _staff(count: int) -> list[Person]:
    named = [
        Person("isolde.varn", "Isolde Varn", "OU=Shore Office,OU=People", "Head of Directory", "Shore Office"),
        Person("tobin.asker", "Tobin Asker", "OU=Shore Office,OU=People", "Directory Engineer", "Shore Office"),
        Person("isolde.varn.adm", "Isolde Varn (adm)", "OU=Administrators,OU=People", "Administrator"),
        Person("tobin.asker.adm", "Tobin Asker (adm)", "OU=Administrators,OU=People", "Administrator"),
        # Planted: privileged through a group two levels down, and through the primary group.
        Person("orla.fenn", "Orla Fenn", "OU=Bridge,OU=People", "Night Officer", "Bridge"),
        Person(
            "mira.holt.adm",
            "Mira Holt (adm)",
            "OU=Administrators,OU=People",
            "Administrator",
            primary_group="Domain Admins",
        ),
        Person("mira.holt", "Mira Holt", "OU=Engine Room,OU=People", "Chief Engineer", "Engine Room"),
        # Planted: a member that the charter does not list, and a disabled one still inside.
        Person("cato.lune", "Cato Lune", "OU=Booking Office,OU=People", "Booking Clerk", "Booking Office"),
        Person("edric.sool.adm", "Edric Sool (adm)", "OU=Retired", enabled=_DISABLED, idle_days=410),
        Person("glass.one", "Break Glass One", "OU=Administrators,OU=People", "Emergency account", idle_days=300),
        Person("pontus.reil", "Pontus Reil", "OU=Galley,OU=People", "Steward", "Galley"),
        Person("signe.quist", "Signe Quist", "OU=Shore Office,OU=People", "Service Desk", "Shore Office"),
        Person("roan.pell", "Roan Pell", "OU=Shore Office,OU=People", "Service Desk", "Shore Office"),
        # Planted: moved from the Booking Office to the Shore Office and kept the old memberships.
        Person("dessa.calder", "Dessa Calder", "OU=Shore Office,OU=People", "Accountant", "Shore Office"),
        # Planted: a new colleague who should get what another has, but not the supervisors' group.
        Person(
            "yorick.tarn",
            "Yorick Tarn",
            "OU=Booking Office,OU=People",
            "Booking Clerk",
            "Booking Office",
            age_days=3,
        ),
        Person("hedda.morrow", "Hedda Morrow", "OU=Booking Office,OU=People", "Booking Lead", "Booking Office"),
        # Planted: a contractor whose time ends tonight.
        Person(
            "lior.zander",
            "Lior Zander",
            "OU=Engine Room,OU=People",
            "Contractor",
            "Engine Room",
            expires_in_days=0,
        ),
        # Planted: in the default container instead of an OU.
        Person("ulla.beck", "Ulla Beck", "CN=Users", "Trainee", "Galley"),
        Person("njal.garth", "Njal Garth", "CN=Users", "Trainee", "Bridge"),
        Person("svc.tickets", "Ticket Service", "OU=Shore Office,OU=People", "Service account"),
    ]
    taken = {person.full_name for person in named} | {"Administrator", "Guest"}
    departments = list(_DEPARTMENTS)
    for given, surname in full_names():
        if len(named) >= min(count, len(departments) * 300):
            break
        if f"{given} {surname}" not in taken:
            place = len(named)
            department = departments[place % len(departments)]
            title = _DEPARTMENTS[department][place // 5 % 3]
            # Planted: accounts unused for 200 days and more.
            idle = 200 + place if place % 31 == 0 else place % 20
            account = f"{given}.{surname}".lower()
            ou = f"OU={department},OU=People"
            named.append(
                Person(account, f"{given} {surname}", ou, title, department, idle_days=idle, age_days=400 + place)
            )
    named += [
        Person(f"deckhand.{n:06}", f"Deckhand {n:06}", "OU=Bridge,OU=People", "Deckhand", "Bridge")
        for n in range(len(named), count)
    ]
    return named


def _groups(staff: list[Person]) -> list[GroupSpec]:
    by_department: dict[str, list[str]] = {}
    for person in staff:
        by_department.setdefault(person.department, []).append(person.account)
    groups = [
        # Planted: Domain Admins > Directory Stewards > Night Watch > orla.fenn.
        GroupSpec("Directory Stewards", "Look after the directory", members=["Night Watch", "tobin.asker.adm"]),
        GroupSpec("Night Watch", "On duty at night", members=["orla.fenn"]),
        # Planted: should be empty and is not.
        GroupSpec("Break Glass", "Empty, except in an emergency", "universal", members=["glass.one"]),
        GroupSpec("Kiosk Stewards", "Look after ticket kiosks", members=["signe.quist", "roan.pell"]),
        GroupSpec("Console Wardens", "Look after bridge consoles", members=["tobin.asker.adm", "mira.holt"]),
        GroupSpec("Laptop Helpers", "Look after shore laptops", members=["Service Desk"]),
        GroupSpec("Harbour Operators", "Run the harbour machines", members=["mira.holt", "isolde.varn"]),
        GroupSpec("Service Desk", "Answers the telephone", members=["signe.quist", "roan.pell"]),
        GroupSpec("Booking Office Leads", "Lead the booking office", members=["hedda.morrow"]),
        GroupSpec("Booking Supervisors", "May cancel any booking", members=["hedda.morrow"]),
        GroupSpec("Ticketing Ledger", "Read the ticketing ledger", members=["Booking Office Staff", "dessa.calder"]),
        GroupSpec("Timetable Editors", "Change the timetable", members=["hedda.morrow", "dessa.calder"]),
        GroupSpec("Payroll Readers", "Read the payroll", "domain local", members=["Shore Office Staff"]),
        GroupSpec("Payroll Writers", "Change the payroll", "domain local", members=["isolde.varn"]),
        GroupSpec("Chart Readers", "Read the charts", "domain local", members=["Bridge Crew", "Engine Crew"]),
        GroupSpec("Chart Writers", "Change the charts", "domain local", members=["Chart Editors"]),
        GroupSpec("Chart Editors", "Edit charts", members=["mira.holt", "orla.fenn"]),
        # Planted: a domain local group used as a role group.
        GroupSpec(
            "Harbour Roles",
            "Everyone with a role in the harbour",
            "domain local",
            members=["signe.quist", "orla.fenn"],
        ),
        # Planted: two that contain each other.
        GroupSpec(
            "North Quay Rota",
            "Shifts on the north quay",
            "universal",
            members=["South Quay Rota", "orla.fenn"],
        ),
        GroupSpec(
            "South Quay Rota",
            "Shifts on the south quay",
            "universal",
            members=["North Quay Rota", "mira.holt"],
        ),
        # Planted: a distribution group where only a security group works.
        GroupSpec(
            "Kiosk Fitters",
            "Fit out new kiosks",
            "universal",
            security=False,
            members=["pontus.reil", "roan.pell"],
        ),
        GroupSpec(
            "Crew Notices",
            "Mail to the crews",
            "universal",
            security=False,
            members=["Bridge Crew", "Engine Crew", "Galley Crew"],
        ),
        GroupSpec(
            "Harbour Notices",
            "Mail to the harbour",
            "universal",
            security=False,
            members=["Shore Office Staff"],
        ),
        GroupSpec("Contractors", "From other firms", members=["lior.zander"]),
        GroupSpec("Trainees", "Learning", members=["ulla.beck", "njal.garth"]),
        # Planted: one empty group that is still named on a share and in a grant.
        GroupSpec("Ledger Archive", "Read the archived ledgers, see the share of that name", "domain local"),
    ]
    # Planted: five empty groups that staff made.
    groups += [
        GroupSpec(name) for name in ("Old Regatta", "Summer Extras", "Paint Project", "Test Ring", "Mooring Trial")
    ]
    for department, crew in _CREWS.items():
        kept = ["dessa.calder"] if crew == "Booking Office Staff" else []
        groups.append(
            GroupSpec(crew, f"Everybody of the {department}", members=[*by_department.get(department, []), *kept])
        )
    roles = (
        "First Aiders",
        "Safety Officers",
        "Fire Marshals",
        "Fuel Ledger",
        "Cargo Manifest",
        "Port Agents",
        "Tide Tables",
        "Lost Property",
        "Crew Rota",
        "Uniform Store",
        "Galley Orders",
        "Engine Spares",
        "Kiosk Journals",
        "Radio Watch",
    )
    plain = [person.account for person in staff if person.department and person.account != "yorick.tarn"]
    groups += [GroupSpec(role, f"Role: {role}", members=plain[3 + n * 9 : 9 + n * 9]) for n, role in enumerate(roles)]
    return groups


def _builtin_members() -> dict[str, list[str]]:
    return {
        "Domain Admins": ["isolde.varn.adm", "tobin.asker.adm", "cato.lune", "Directory Stewards"],
        "Enterprise Admins": ["edric.sool.adm"],
        "Backup Operators": ["svc.tickets"],
    }


_KINDS: Final = (
    ("KIOSK", 24, "Ticket Kiosks"),
    ("CONSOLE", 12, "Bridge Consoles"),
    ("LAPTOP", 16, "Shore Laptops"),
    ("HARBOUR", 10, "Harbour Machines"),
)
_STEWARDS: Final = {
    "KIOSK": "Kiosk Stewards",
    "CONSOLE": "Console Wardens",
    "LAPTOP": "Laptop Helpers",
    "HARBOUR": "Harbour Operators",
}


def _hosts(count: int) -> list[HostSpec]:
    hosts = []
    for prefix, number, ou in _KINDS:
        hosts += [_usual(prefix, f"{prefix}-{n:02}", ou) for n in range(1, number + 1)]
    hosts += [HostSpec(f"QUAY-{n:02}", "OU=Quay", ["Domain Admins", "\\administrator"]) for n in (1, 2)]
    by_name = {host.name: host for host in hosts}
    _plant(by_name)
    hosts += [_usual("KIOSK", f"KIOSK-X{n:05}", "Ticket Kiosks") for n in range(len(hosts), count)]
    return hosts[:count] if count < len(hosts) else hosts


def _usual(prefix: str, name: str, ou: str) -> HostSpec:
    return HostSpec(
        name,
        f"OU={ou},OU=Hosts",
        ["Domain Admins", "\\administrator", _STEWARDS[prefix]],
        remote_users=[_STEWARDS[prefix]],
    )


def _plant(hosts: dict[str, HostSpec]) -> None:
    # Planted: unknown local administrators, one an account of the host, one a SID that resolves to nothing.
    hosts["KIOSK-07"].administrators += ["pontus.reil", "\\fitter"]
    hosts["KIOSK-07"].local_accounts.append("fitter")
    hosts["KIOSK-12"].administrators.append("?")
    hosts["KIOSK-20"].administrators.append("Kiosk Fitters")
    # Planted: a local group that bears the name of a directory group, put where the directory's should be.
    hosts["KIOSK-15"].administrators.remove("Kiosk Stewards")
    hosts["KIOSK-15"].local_groups["Kiosk Stewards"] = ["pontus.reil"]
    # Planted: the keeper is missing.
    hosts["KIOSK-19"].administrators.remove("Domain Admins")
    # Planted: switched off.
    hosts["KIOSK-22"].offline = True
    hosts["LAPTOP-05"].offline = True
    # Planted: excepted by name from the rule for consoles, and deviating from it.
    hosts["CONSOLE-09"].administrators = ["Domain Admins", "\\administrator", "Domain Users"]
    hosts["CONSOLE-03"].administrators.append("Domain Users")
    hosts["CONSOLE-11"].administrators.remove("Console Wardens")
    # Planted: a computer unused for 200 days.
    hosts["LAPTOP-14"].idle_days = 230


def _delegations() -> list[Delegation]:
    people, booking = f"OU=People,{BASE_DN}", f"OU=Booking Office,OU=People,{BASE_DN}"
    engine, groups = f"OU=Engine Room,OU=People,{BASE_DN}", f"OU=Groups,{BASE_DN}"
    return [
        # Written down in the charter: the leads of the booking office reset passwords there.
        Delegation("Booking Office Leads", "CONTROL_ACCESS", booking, "User-Force-Change-Password", "user", True),
        Delegation("Booking Office Leads", "WRITE_PROPERTY", booking, "pwdLastSet", "user", True),
        Delegation("Booking Office Leads", "WRITE_PROPERTY", booking, "lockoutTime", "user", True),
        # Planted: a grant that nobody wrote down.
        Delegation("Contractors", "CREATE_CHILD", f"OU=Quay,{BASE_DN}", "computer"),
        # Planted: a grant to a person instead of a group.
        Delegation("mira.holt", "CONTROL_ACCESS", engine, "User-Force-Change-Password", "user", True),
        Delegation("mira.holt", "WRITE_PROPERTY", engine, "pwdLastSet", "user", True),
        Delegation("mira.holt", "WRITE_PROPERTY", engine, "lockoutTime", "user", True),
        # Planted: the service desk may change the members of a group that leads into Domain Admins.
        Delegation("Service Desk", "WRITE_PROPERTY", f"CN=Night Watch,{groups}", "member"),
        # Planted: a stale grant to an account that no longer exists.
        Delegation("?", "WRITE_PROPERTY", people, "telephoneNumber", "user", True),
        # Planted: an empty group that is still named in a grant.
        Delegation("Ledger Archive", "READ_PROPERTY", f"OU=Retired,{BASE_DN}", "", "", True),
    ]


def _policies() -> list[PolicySpec]:
    linked = [
        PolicySpec("Kiosk Screens", ("OU=Ticket Kiosks,OU=Hosts",)),
        PolicySpec("Console Lock", ("OU=Bridge Consoles,OU=Hosts",)),
    ]
    # Planted: three linked nowhere, two linked but empty.
    nowhere = [PolicySpec(name) for name in ("Old Printers", "Winter Wallpaper", "Trial Firewall")]
    empty = [
        PolicySpec("Laptop Power", ("OU=Shore Laptops,OU=Hosts",), empty=True),
        PolicySpec("Quay Notice", ("OU=Quay",), empty=True),
    ]
    return linked + nowhere + empty
