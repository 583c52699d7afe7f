"""Things that somebody deleted by another client, and that are restored with what is known of them."""

from base64 import b64encode

import pytest

from tests.program import Json, Program, naming_numbers
from tests.server.server import PASSWORD, Server
from tests.server.test_objects import everything

pytestmark = pytest.mark.server
OFTEN_OTHERWISE = {"objectGUID", "uSNCreated", "whenCreated", "pwdLastSet", "userAccountControl", "lastKnownParent"}
OFTEN_OTHERWISE |= {"adminCount", "operatorCount"}
PEOPLE_AND_GROUPS = ("yorick.tarn", "Old Regatta", "Summer Extras")


def deleted(program: Program) -> dict[str, Json]:
    """The rows of what can be restored, by name."""
    return {row["name"]: row for row in program("retire", "list", "--deleted", "--format", "json").json}


def names_of(server: Server) -> dict[str, str]:
    """The distinguished names of those that the test deletes."""
    found = everything(server)
    return {one["sAMAccountName"][0]: dn for dn, one in found.items() if "sAMAccountName" in one}


def test_what_others_deleted_is_restored_as_it_was_collected(server: Server, workspace: Program) -> None:
    """The same SID, values, members and groups, by the last collection; the account is disabled, and it is said."""
    workspace("collect", "--full")
    dns = names_of(server)
    old = deleted(workspace)
    server.change(
        f"dn: {dns['Old Regatta']}\nchangetype: modify\nadd: member\nmember: {dns['yorick.tarn']}\n-\n"
        "add: description\ndescription: Boats that sail no more\n\n"
        f"dn: {dns['yorick.tarn']}\nchangetype: modify\nreplace: accountExpires\naccountExpires: 134500000000000000"
    )
    workspace("collect")
    before = everything(server)
    server.change("\n\n".join(f"dn: {dns[name]}\nchangetype: delete" for name in PEOPLE_AND_GROUPS))
    workspace("collect")
    rows = {name: row for name, row in deleted(workspace).items() if name not in old}
    assert {(name, row["same_sid"], row["remembered_by"]) for name, row in rows.items()} == {
        (name, True, "collection") for name in PEOPLE_AND_GROUPS
    }
    line = ("retire", "restore", "--deleted", *PEOPLE_AND_GROUPS, "--why", "deleted by mistake", "--yes")
    back = naming_numbers(workspace, *line)
    assert back.code == 0, back.err + back.out
    assert "comes back disabled and without its password" in " ".join(back.out.split())
    after = everything(server)
    assert after.keys() == before.keys()
    for dn, values in before.items():
        otherwise = {key for key in values.keys() | after[dn].keys() if values.get(key) != after[dn].get(key)}
        assert otherwise <= OFTEN_OTHERWISE, (dn, otherwise)
    assert int(after[dns["yorick.tarn"]]["userAccountControl"][0]) & 2
    assert not deleted(workspace).keys() & set(PEOPLE_AND_GROUPS)
    assert workspace("retire", "restore", "--deleted", "yorick.tarn", "--yes").code == 2
    assert workspace("account", "enable", "yorick.tarn", "--yes").code == 0
    password = b64encode(f'"{PASSWORD}"'.encode("utf-16-le")).decode()
    server.change(
        f"dn: {dns['yorick.tarn']}\nchangetype: modify\nreplace: unicodePwd\nunicodePwd:: {password}\n-\n"
        "replace: accountExpires\naccountExpires: 9223372036854775807\n\n"
        f"dn: {dns['Old Regatta']}\nchangetype: modify\ndelete: member\nmember: {dns['yorick.tarn']}\n-\n"
        "delete: description"
    )


def test_what_we_deleted_is_restored_out_of_the_journal(server: Server, workspace: Program) -> None:
    """With the groups that it was taken out of just before; a name that was deleted twice wants its SID."""
    workspace("collect", "--full")
    made = workspace("group", "create", "Lent Oars", "--in", "OU=Groups", "--member", "yorick.tarn", "--yes")
    assert made.code == 0, made.err
    joined = naming_numbers(workspace, "group", "add", "Chart Editors", "Lent Oars", "--yes")
    assert joined.code == 0, joined.err
    before = server.members_of("Chart Editors")
    for _ in range(2):
        assert naming_numbers(workspace, "group", "delete", "Lent Oars", "--yes").code == 0
        assert server.members_of("Chart Editors") == before - {"Lent Oars"}
        back = naming_numbers(workspace, "retire", "restore", "--deleted", r"LOWMERE\Lent Oars", "--yes")
        assert back.code == 0, back.err
        assert (server.members_of("Chart Editors"), server.members_of("Lent Oars")) == (before, {"Yorick Tarn"})
    server.change(f"dn: {names_of(server)['Lent Oars']}\nchangetype: delete")
    workspace("collect")
    assert naming_numbers(workspace, "group", "create", "Lent Oars", "--in", "OU=Groups", "--yes").code == 0
    assert naming_numbers(workspace, "group", "delete", "Lent Oars", "--yes").code == 0
    which = workspace("retire", "restore", "--deleted", "Lent Oars", "--yes")
    assert (which.code, "was deleted 2 times" in which.err) == (2, True), which.err


def test_an_ou_that_was_deleted_with_what_lay_in_it_comes_back_whole(server: Server, workspace: Program) -> None:
    """What lay in it is listed where it was, is refused without its OU, and comes back with it."""
    ou = f"OU=Lost Quay,OU=Groups,{server.base}"
    group = f"CN=Lost Oars,{ou}"
    server.change(
        f"dn: {ou}\nchangetype: add\nobjectClass: organizationalUnit\n\n"
        f"dn: {group}\nchangetype: add\nobjectClass: group\nsAMAccountName: Lost Oars\ndescription: of ash"
    )
    workspace("collect", "--full")
    sid = workspace("show", "Lost Oars", "--format", "json").json["sid"]
    server.change(f"dn: {group}\nchangetype: delete\n\ndn: {ou}\nchangetype: delete")
    workspace("collect")
    rows = deleted(workspace)
    assert (rows["Lost Oars"]["from"], rows["Lost Quay"]["from"]) == (group, ou)
    alone = workspace("retire", "restore", "--deleted", "Lost Oars", "--yes")
    assert (alone.code, "restore --deleted 'Lost Quay' 'Lost Oars'" in alone.err) == (2, True), alone.err
    back = naming_numbers(workspace, "retire", "restore", "--deleted", "Lost Oars", "Lost Quay", "--yes")
    assert back.code == 0, back.err + back.out
    shown = workspace("show", "Lost Oars", "--format", "json").json
    assert (shown["dn"], shown["sid"], shown["description"]) == (group, sid, "of ash")
    assert naming_numbers(workspace, "undo", "--last", "--yes").code == 0
    assert not server.ask("(sAMAccountName=Lost Oars)")
