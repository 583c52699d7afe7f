"""Many changes by hand with odd names on the real server, undone one by one."""

import random

import pytest

from tests.long_tests import times
from tests.program import Program
from tests.server.server import Server
from tests.server.test_objects import everything

pytestmark = pytest.mark.server
CHANGES = times(30, 8)
NAMES = (
    "Deck, Night",
    "Tide = High",
    "A+B; C",
    "#Hash",
    'Say "aye"',
    "Back\\slash",
    "<Angle>",
    "Åland Räder",
    "two  spaces",
    "50% & $HOME `x`",
    "ends with -",
)
PEOPLE = ("orla.fenn", "mira.holt", "yorick.tarn", "hedda.morrow", "pontus.reil")
OWN_MARKS = {"uSNChanged", "whenChanged", "lastKnownParent", "adminCount", "operatorCount", "dSCorePropagationData"}
"""What the server counts, and the marks that it leaves on what it brings back."""


class ByHand:
    """Draws one change after another that means something in what was made so far."""

    def __init__(self, lot: random.Random) -> None:
        self._lot = lot
        self.groups: list[str] = ["First Aiders", "Crew Rota"]
        self.ous: list[str] = ["OU=Quay", "OU=Retired"]
        self._made = 0

    def following(self) -> list[str]:
        """Return the arguments of the next command."""
        lot = self._lot
        group, ou, person = lot.choice(self.groups), lot.choice(self.ous), lot.choice(PEOPLE)
        self._made += 1
        name = f"{lot.choice(NAMES)} {self._made}"
        kinds = {
            "group create": [name, "--account-name", f"odd{self._made}", "--in", ou, "--member", person],
            "ou create": [name, "--in", ou, "--description", name],
            "group set": [group, "--description", name],
            "group rename": [group, "--name", name, "--account-name", f"odd{self._made}"],
            "group scope": [group, "--scope", lot.choice(["universal", "global"])],
            "group add": [group, person],
            "group remove": [group, person],
            "group delete": [group],
            "move": [group, ou],
            "grant give": [lot.choice(self.groups), lot.choice(["password-help", "user-details"]), "--over", ou],
            "grant deny": [lot.choice(self.groups), "user-details", "--over", ou],
            "ou delete": [ou, "--with-content"],
        }
        kind = lot.choice(list(kinds))
        words = {"group rename": "group set", "group scope": "group set"}.get(kind, kind)
        return [*words.split(), *kinds[kind]]


def test_many_changes_with_odd_names_are_undone_last_first(server: Server, workspace: Program) -> None:
    """Creations, settings, renames, moves, rights and deletions: after all undos each attribute is as it was."""
    lot = random.Random(20261125)
    workspace("collect", "--full")
    before = everything(server)
    by_hand, done, kinds = ByHand(lot), 0, set()
    while done < CHANGES:
        wanted = by_hand.following()
        ran = workspace(*wanted, "--yes", "--format", "json")
        if "--deletions" in ran.err:
            number = ran.err.partition("Give --deletions ")[2].split()[0]
            ran = workspace(*wanted, "--yes", "--format", "json", "--deletions", number)
        if ran.code != 0 or not ran.out.startswith("[") or ran.json == []:
            assert ran.err.startswith("adzeguard: ") or not ran.err, ran.err  # refused, or nothing to change
            continue
        assert {o["status"] for o in ran.json} == {"verified"}, (wanted, ran.out)
        done += 1
        kinds.add(" ".join(wanted[:2]))
        found = workspace("find", "odd", "--kind", "group", "--format", "json").json
        by_hand.groups = ["First Aiders", "Crew Rota", *(f["name"] for f in found if f["name"].startswith("odd"))]
        made = server.ask("(objectClass=organizationalUnit)", "dn")
        by_hand.ous = ["OU=Quay", "OU=Retired", *(dn for e in made if (dn := e["dn"][0]) and dn not in before)]
    assert len(kinds) > times(6, 3)
    journal = workspace("journal", "--limit", "1000", "--format", "json").json
    for name in reversed(list(dict.fromkeys(row["enactment"] for row in journal))):
        undone = workspace("undo", name, "--yes", "--format", "json", "--deletions", "1")
        if "you named --deletions" in undone.err:
            undone = workspace("undo", name, "--yes", "--format", "json")
        assert {o["status"] for o in undone.json} == {"verified"}, (name, undone.out, undone.err)
    after = everything(server)

    assert after.keys() == before.keys()
    differing = {
        dn: {k: (before[dn].get(k), after[dn].get(k)) for k in before[dn].keys() | after[dn].keys()} for dn in before
    }
    assert {
        dn: odd
        for dn, keys in differing.items()
        if (odd := {k: v for k, v in keys.items() if v[0] != v[1]}) and odd.keys() - OWN_MARKS
    } == {}
    assert "0 objects, 0 groups" in workspace("collect", "--full").out
