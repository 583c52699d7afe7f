"""The example of the demo, as operations that fill a real domain."""

from adzeguard.demo.scenario import BASE_DN, Scenario

_SCOPES = {"global": 0x2, "domain local": 0x4, "universal": 0x8}
_SECURITY = 0x80000000
_ENABLED_WITHOUT_PASSWORD, _DISABLED, _WORKSTATION = "544", "546", "4096"


def group_type(scope: str, *, security: bool) -> str:
    """Return the signed groupType of a group."""
    kind = _SCOPES[scope] | (_SECURITY if security else 0)
    return str(kind - (1 << 32) if kind & _SECURITY else kind)


def operations(scenario: Scenario) -> list[dict]:
    """Return the operations in an order in which every name stands before it is used."""
    found = [_add(f"{ou},{BASE_DN}", {"objectClass": "organizationalUnit"}) for ou in scenario.ous]
    dn_of = {}
    for group in scenario.groups:
        dn_of[group.name] = group.dn
        kind = group_type(group.scope, security=group.security)
        found.append(_add(group.dn, {"objectClass": "group", "sAMAccountName": group.name, "groupType": kind}))
    for person in scenario.people:
        dn_of[person.account] = person.dn
        control = _ENABLED_WITHOUT_PASSWORD if person.enabled else _DISABLED
        values = {"objectClass": "user", "sAMAccountName": person.account, "userAccountControl": control}
        values |= {key: text for key, text in (("title", person.title), ("department", person.department)) if text}
        found.append(_add(person.dn, values))
    for host in scenario.hosts:
        values = {"objectClass": "computer", "sAMAccountName": f"{host.name}$", "userAccountControl": _WORKSTATION}
        found.append(_add(host.dn, values))
    listed = {group.name: group.members for group in scenario.groups} | scenario.builtin_members
    for name, members in listed.items():
        container = "CN=Builtin" if name == "Backup Operators" else "CN=Users"
        dn = dn_of.get(name, f"CN={name},{container},{BASE_DN}")
        if members:
            found.append(_modify(dn, ("member", "add", [dn_of[m] for m in sorted(set(members))])))
    found += primary_switches(
        [(p.dn, p.primary_group, 512) for p in scenario.people if p.primary_group == "Domain Admins"]
    )
    return found


def primary_switches(accounts: list[tuple[str, str, int]]) -> list[dict]:
    """Make a group the primary one of accounts, and take away the entry in Domain Users that the server leaves."""
    found = []
    for dn, group, rid in accounts:
        group_dn = f"CN={group},CN=Users,{BASE_DN}"
        found.append(_modify(group_dn, ("member", "add", [dn])))
        found.append(_modify(dn, ("primaryGroupID", "replace", [str(rid)])))
        found.append(_modify(f"CN=Domain Users,CN=Users,{BASE_DN}", ("member", "delete", [dn])))
    return found


def _add(dn: str, values: dict) -> dict:
    return {"do": "add", "dn": dn, "values": values}


def _modify(dn: str, *changes: tuple[str, str, list[str]]) -> dict:
    return {"do": "modify", "dn": dn, "changes": list(changes)}
