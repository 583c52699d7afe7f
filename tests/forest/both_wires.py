"""The same questions and changes by one of the two connections to a directory server; prints the answers as JSON.

Run where the names of the servers are known:
both_wires.py pure|password|ticket URL BASE [CA_FILE TLS_NAME BIND_AS PASSWORD_FILE]
"""

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from adzeguard.core.errors import AdzeguardError
from adzeguard.directory.ldap_address import Address
from adzeguard.directory.ldap_native import NativeWire, Password, Ticket
from adzeguard.directory.ldap_port import LdapWire
from adzeguard.directory.ldap_wire import Wire
from adzeguard.directory.port import ATTRIBUTES, Modification

VOLATILE = {"lastlogontimestamp", "lastlogon", "logoncount", "dscorepropagationdata"}


def connected(way: str, url: str, *how: str) -> LdapWire:
    """Return the connection of this kind."""
    if way == "ticket":
        return NativeWire(Address(url, sealed=True), Ticket())
    ca_file, tls_name, bind_as, password = how
    if way == "password":
        return NativeWire(Address(url, ca_file), Password(bind_as, Path(password).read_text()))
    return Wire(Address(url, ca_file, tls_name), bind_as, Path(password).read_text())


def said(task: Callable[[], Any]) -> str:
    """The error of a task, with its class; nothing for one that is done."""
    try:
        task()
    except AdzeguardError as error:
        return f"{type(error).__name__}: {error.message}"
    return ""


def main() -> None:
    """Ask, change, and take back."""
    way, url, base, *how = sys.argv[1:]
    wire, told = connected(way, url, *how), {}
    place = f"OU=Lot,{base}"
    found = dict(wire.search(base, "(objectClass=*)", ATTRIBUTES))
    told["entries"] = {
        dn: {name: sorted(v.hex() for v in values) for name, values in sorted(one.items()) if name not in VOLATILE}
        for dn, one in sorted(found.items())
    }
    first = wire.search(base, "(objectClass=*)", ["cn"], descriptors=False)
    next(first)
    first.close()
    told["after an answer that nobody wanted"] = len(list(wire.search(place, "(cn=lp1)", ["cn"], descriptors=False)))
    told["missing"] = [wire.read(f"CN=nobody,{place}", ["cn"]), list(wire.search(f"OU=no,{base}", "(cn=*)", ["cn"]))]
    told["deleted"] = len(list(wire.search(base, "(isDeleted=TRUE)", ["cn"], deleted=True))) >= 0
    group = f"CN=tried,{place}"
    wire.add(group, {"objectClass": [b"group"], "sAMAccountName": [b"tried"]})
    descriptor = (wire.read(group, ["nTSecurityDescriptor"]) or {})["ntsecuritydescriptor"][0]
    wire.modify(
        group,
        [
            Modification("add", "member", (f"CN=lp1,{place}".encode(),)),
            Modification("replace", "description", ("über Bord".encode(),)),
            Modification("replace", "nTSecurityDescriptor", (descriptor,)),
        ],
    )
    told["errors"] = [
        said(lambda: wire.modify(group, [Modification("add", "member", (f"CN=lp1,{place}".encode(),))])),
        said(lambda: wire.modify(group, [Modification("add", "member", (f"CN=no,{place}".encode(),))])),
        said(lambda: wire.add(group, {"objectClass": [b"group"]})),
        said(lambda: wire.add(f"CN=odd,{place}", {"objectClass": [b"no-such-class"]})),
        said(lambda: wire.delete(place)),
        said(lambda: wire.delete(f"CN=nobody,{place}")),
        said(lambda: wire.rename(f"CN=nobody,{place}", "CN=x", place)),
        said(lambda: wire.modify(f"CN=nobody,{place}", [Modification("replace", "description", (b"x",))])),
        said(lambda: list(wire.search("no name", "(cn=*)", ["cn"]))),
    ]
    wire.rename(group, "CN=tried it", place)
    told["group"] = {
        name: [v.decode() for v in values]
        for name, values in (wire.read(f"CN=tried it,{place}", ["description", "member", "cn"]) or {}).items()
    }
    watching = connected(way, url, *how)
    watching.ask_for_changes(base)
    told["quiet"] = watching.told_of_a_change(0)
    # Only what changes after the server has taken the question is told, and it says nothing when it has.
    told["told"] = False
    for turn in range(9):
        if not told["told"]:
            again = f"again {turn}".encode()
            wire.modify(f"CN=tried it,{place}", [Modification("replace", "description", (again,))])
            told["told"] = watching.told_of_a_change(10)
    watching.close()
    wire.delete(f"CN=tried it,{place}")
    wire.close()
    json.dump(told, sys.stdout)


if __name__ == "__main__":
    main()
