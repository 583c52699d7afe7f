"""What was deleted and made again: what was done to it before is still taken back."""

import re
import time
from datetime import UTC, datetime
from pathlib import Path

import pytest

from tests.program import Program, Ran, insisting

_ITS_OWN = re.compile(r"(objectsid|objectguid|whencreated|ntsecuritydescriptor)", re.IGNORECASE)


def entries(file: Path) -> list[list[str]]:
    """The directory without what something made again has anew."""
    found = []
    for block in file.read_text().replace("\n ", "").split("\n\n"):
        lines = [line.partition(":") for line in block.splitlines() if ":" in line]
        found.append(sorted(f"{name.lower()}:{value}" for name, _, value in lines if not _ITS_OWN.match(name)))
    return sorted(found)


def saying_yes(demo: Program, *arguments: str) -> Ran:
    """Run a command, and name the new ways into privilege where it asks for their number."""
    done = demo(*arguments, "--yes", "--format", "json")
    return insisting(demo, *arguments, "--yes", "--format", "json") if "--new-reach" in done.err else done


def the_three(demo: Program) -> tuple[list[str], str]:
    """Set, put somebody in, delete: the enactments, and the moment before."""
    moment = datetime.fromtimestamp(time.time(), UTC).isoformat()
    commands = (
        ("group", "set", "Night Watch", "--description", "Somebody else's"),
        ("group", "add", "Night Watch", "mira.holt"),
        ("group", "delete", "Night Watch"),
    )
    for command in commands:
        assert saying_yes(demo, *command).code == 0
    rows = demo("journal", "--format", "json").json
    return list(dict.fromkeys(row["enactment"] for row in rows)), moment


@pytest.mark.parametrize("way", ["each, last first", "all since", "the deletion, then all since"])
def test_what_was_done_before_a_deletion_is_undone_on_what_was_made_again(demo: Program, way: str) -> None:
    """Whichever way it is undone, attributes, members and memberships are as they were, under the new SID."""
    before = entries(demo.folder / "lowmere.ldif")
    enactments, moment = the_three(demo)
    if way == "each, last first":
        undos = [(name,) for name in reversed(enactments)]
    else:
        undos = [("--last",)] * way.startswith("the deletion") + [("--since", moment)]
    for undo in undos:
        done = saying_yes(demo, "undo", *undo)
        assert {o["status"] for o in done.json} == {"verified"}, done.out

    assert entries(demo.folder / "lowmere.ldif") == before
    assert demo("undo", "--since", moment, "--yes").out.startswith("Nothing to change")
    assert "0 objects, 0 groups, 0 hosts" in demo("collect", "--full").out


def test_what_a_rule_put_into_a_group_is_withdrawn_from_the_one_made_again(demo: Program) -> None:
    """The rule goes after its group was deleted and made again: its member goes too, somebody else's stays."""
    charter = demo.folder / "charter/charter.yaml"
    charter.write_text(
        "charter: 1\nrules:\n  - {id: aid, group: 'LOWMERE\\First Aiders', response: mend, "
        "include: ['LOWMERE\\orla.fenn']}\n"
    )
    assert demo("enact", "--yes").code == 0
    members = {m["name"] for m in demo("who", "First Aiders", "--format", "json").json}
    assert saying_yes(demo, "group", "delete", "First Aiders").code == 0
    assert saying_yes(demo, "undo", "--last").code == 0
    assert {m["name"] for m in demo("who", "First Aiders", "--format", "json").json} == members
    charter.write_text("charter: 1\nrules: []\n")
    [gone] = demo("propose", "--format", "json").json["changes"]
    assert (gone["kind"], gone["member"]["name"]) == ("remove-member", r"LOWMERE\orla.fenn")
