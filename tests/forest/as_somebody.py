"""What a directory server says of somebody who signs in at it, also of another domain: their token, and what they may.

Run by the system's own Python, which has the server's library, with the password on standard input:
as_somebody.py SMB_CONF ADDRESS SHORT_DOMAIN NAME [DN ATTRIBUTE VALUE]
Prints the SIDs of the token as JSON; with a change tries it and prints whether it was done.
"""

import json
import sys

import ldb
from samba.credentials import DONT_USE_KERBEROS, Credentials
from samba.dcerpc import security
from samba.ndr import ndr_unpack
from samba.param import LoadParm
from samba.samdb import SamDB


def main() -> None:
    """Sign in by NTLM, signed and sealed: a simple bind does not cross a trust."""
    conf, address, domain, name, *change = sys.argv[1:]
    parameters = LoadParm(conf)
    credentials = Credentials()
    credentials.guess(parameters)
    credentials.set_username(name)
    credentials.set_domain(domain)
    credentials.set_password(sys.stdin.readline().rstrip("\n"))
    credentials.set_kerberos_state(DONT_USE_KERBEROS)
    database = SamDB(f"ldap://{address}", credentials=credentials, lp=parameters)
    if not change:
        [found] = database.search("", scope=ldb.SCOPE_BASE, attrs=["tokenGroups"])
        json.dump([str(ndr_unpack(security.dom_sid, bytes(raw))) for raw in found["tokenGroups"]], sys.stdout)
        return
    dn, attribute, value = change
    message = ldb.Message(ldb.Dn(database, dn))
    message["1"] = ldb.MessageElement([value], ldb.FLAG_MOD_REPLACE, attribute)
    try:
        database.modify(message)
    except ldb.LdbError as error:
        json.dump(str(error.args[1]), sys.stdout)
    else:
        json.dump(True, sys.stdout)


if __name__ == "__main__":
    main()
