"""Fills a freshly provisioned domain through its local database, which is far quicker than over LDAP.

Run by the system's own Python, which has the directory server's library: load_domain.py SMB_CONF SPEC.json [extended]
The specification is a list of operations in their order; prints the SIDs of all accounts and groups as JSON.
"""

import json
import sys
import uuid

import ldb
from added_schema import ADDED
from samba.auth import system_session
from samba.param import LoadParm
from samba.samdb import SamDB

_OF_BINARY_LINKS = bytes.fromhex("2a864886f7140101010b")
"""The kind of a name with bytes beside it ([MS-ADTS] 3.1.1.2.2.2)."""


def main() -> None:
    """Enact the operations in one transaction."""
    parameters = LoadParm()
    parameters.load(sys.argv[1])
    if sys.argv[3:] == ["extended"]:
        extend_schema(parameters)
    database = SamDB(url=parameters.private_path("sam.ldb"), session_info=system_session(), lp=parameters)
    with open(sys.argv[2], encoding="utf-8") as file:  # noqa: PTH123 - plain Python of the system
        operations = json.load(file)
    database.transaction_start()
    for operation in operations:
        if operation["do"] == "add":
            database.add({"dn": operation["dn"], **operation["values"]})
        else:
            message = ldb.Message(ldb.Dn(database, operation["dn"]))
            for number, (attribute, flag, values) in enumerate(operation["changes"]):
                flags = {"add": ldb.FLAG_MOD_ADD, "delete": ldb.FLAG_MOD_DELETE, "replace": ldb.FLAG_MOD_REPLACE}
                message[str(number)] = ldb.MessageElement([rid_of(database, v) for v in values], flags[flag], attribute)
            database.modify(message)
    database.transaction_commit()
    found = database.search(expression="(objectSid=*)", attrs=["sAMAccountName", "objectSid"])
    sids = {
        str(entry["sAMAccountName"]).rstrip("$"): database.schema_format_value(
            "objectSid", entry["objectSid"][0]
        ).decode()
        for entry in found
        if "sAMAccountName" in entry
    }
    json.dump(sids, sys.stdout)


def extend_schema(parameters: LoadParm) -> None:
    """Add what a younger directory has, as its own administrator would."""
    parameters.set("dsdb:schema update allowed", "true")
    database = SamDB(url=parameters.private_path("sam.ldb"), session_info=system_session(), lp=parameters)
    top = database.get_schema_basedn()
    for name, one in ADDED.items():
        linked = {"oMObjectClass": _OF_BINARY_LINKS, "linkID": str(one.link), "isSingleValued": "FALSE"}
        given = {
            "dn": f"CN={name},{top}",
            "objectClass": "attributeSchema",
            "lDAPDisplayName": name,
            "attributeID": f"1.2.840.113556.1.8000.2554.42.{one.number}",
            "attributeSyntax": one.syntax,
            "oMSyntax": str(one.of_values),
            "schemaIDGUID": uuid.UUID(one.guid).bytes_le,
            "isSingleValued": "TRUE",
            "searchFlags": str(one.search_flags),
        }
        database.add({**given, **(linked if one.link else {})})
    database.set_schema_update_now()
    for name, one in ADDED.items():
        message = ldb.Message(ldb.Dn(database, f"CN={one.of_class},{top}"))
        message["1"] = ldb.MessageElement([name], ldb.FLAG_MOD_ADD, "mayContain")
        database.modify(message)
    database.set_schema_update_now()


def rid_of(database: SamDB, value: str) -> str:
    """Turn "rid of NAME" into the relative identifier that the server gave; leave everything else as it is."""
    if not value.startswith("rid of "):
        return value
    [entry] = database.search(expression=f"(sAMAccountName={value[7:]})", attrs=["objectSid"])
    return database.schema_format_value("objectSid", entry["objectSid"][0]).decode().rpartition("-")[2]


if __name__ == "__main__":
    main()
