"""A random part of a domain: groups of every scope and kind nested in rings, and odd primary groups."""

import random

from adzeguard.demo.scenario import BASE_DN
from tests.server.scenario_load import group_type

SCOPES = ("global", "universal", "domain local")
_MAY_HOLD = {
    "global": {"global"},
    "universal": {"global", "universal"},
    "domain local": {"global", "universal", "domain local"},
}
_OU = f"OU=Random,{BASE_DN}"


def random_operations(lot: random.Random, people: int = 150, groups: int = 60) -> list[dict]:
    """Return operations that make it, nested only as scopes allow."""
    found: list[dict] = [{"do": "add", "dn": _OU, "values": {"objectClass": "organizationalUnit"}}]
    kinds = {}
    for n in range(groups):
        scope, security = lot.choice(SCOPES), lot.random() < 0.85
        name = f"rg{n}"
        kinds[name] = (scope, security)
        values = {"objectClass": "group", "sAMAccountName": name, "groupType": group_type(scope, security=security)}
        found.append({"do": "add", "dn": f"CN={name},{_OU}", "values": values})
    for n in range(people):
        values = {"objectClass": "user", "sAMAccountName": f"rp{n}", "userAccountControl": "544"}
        found.append({"do": "add", "dn": f"CN=rp{n},{_OU}", "values": values})
    primary = {}
    eligible = [name for name, (scope, security) in kinds.items() if scope != "domain local" and security]
    for person in lot.sample(range(people), people // 6):
        primary[f"rp{person}"] = lot.choice(eligible)
    for name, (scope, _) in kinds.items():
        inside = [other for other, (of, _) in kinds.items() if other != name and of in _MAY_HOLD[scope]]
        members = lot.sample(inside, min(len(inside), lot.randrange(4)))
        members += [f"rp{n}" for n in lot.sample(range(people), lot.randrange(8))]
        members += [person for person, group in primary.items() if group == name and person not in members]
        if members:
            dns = [f"CN={member},{_OU}" for member in members]
            found.append({"do": "modify", "dn": f"CN={name},{_OU}", "changes": [("member", "add", dns)]})
    found += [
        {"do": "modify", "dn": f"CN={person},{_OU}", "changes": [("primaryGroupID", "replace", [f"rid of {group}"])]}
        for person, group in primary.items()
    ]
    return found
