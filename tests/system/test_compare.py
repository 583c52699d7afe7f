"""What differs between two moments, beside memberships."""

import re

from tests.program import Program
from tests.system.test_history import a_moment

KIOSKS = "OU=Ticket Kiosks,OU=Hosts"


def test_what_became_of_objects_policies_and_rights_is_compared(demo: Program) -> None:
    """An OU made, an account moved, a group described, a right given and one taken away, each told once."""
    before = a_moment()
    for line in (
        ["ou", "create", "OU=Slipway"],
        ["move", "ulla.beck", "OU=Galley,OU=People"],
        ["group", "set", "Night Watch", "--description", "who walks at night"],
        ["grant", "give", "Harbour Operators", "password-help", "--over", "OU=Galley,OU=People"],
        ["grant", "withdraw", "mira.holt", "--over", "OU=Engine Room,OU=People"],
    ):
        done = demo(*line, "--yes", "--why", "as asked")
        assert done.code == 0, (line, done.err)
    found = demo("compare", before, "--format", "json")
    assert found.code == 3
    told = [d for d in found.json if d["about"] != "membership"]
    said = {(d["about"], d["change"], d["subject"], d["member"] or "") for d in told}
    assert said == {
        ("object", "made", "Slipway", ""),
        ("object", "moved", r"LOWMERE\ulla.beck", ""),
        ("object", "altered", r"LOWMERE\Night Watch", ""),
        ("right", "gained", "Galley", r"LOWMERE\Harbour Operators"),
        ("right", "lost", "Engine Room", r"LOWMERE\mira.holt"),
    }
    details = {d["subject"]: d["detail"] for d in told}
    assert details[r"LOWMERE\Night Watch"] == "Description: On duty at night, now who walks at night"
    assert details[r"LOWMERE\ulla.beck"].endswith("to OU=Galley,OU=People")
    assert "right: 1 gained, 1 lost" in demo("compare", before).out.replace("1 lost, 1 gained", "1 gained, 1 lost")


def test_a_moment_is_told_with_its_zone_and_to_programs_in_utc(demo: Program) -> None:
    """Wherever somebody sits: the same form in each list and sentence, and the same bytes for programs."""
    demo("trail", "import", "trail.jsonl")
    demo("retire", "lior.nye", "--yes", "--why", "left")
    demo("lease", "start", "orla.fenn", "First Aiders", "--for", "1h", "--yes")
    looks = (
        ("lease", "list"),
        ("retire", "list"),
        ("journal",),
        ("history", "--limit", "3"),
        ("history", "First Aiders", "--drawn"),
        ("status",),
        ("show", "orla.fenn"),
        ("trail", "support"),
        ("compare",),
    )
    told = {}
    in_summer = {"UTC+1": " UTC+2", "UTC-3:30": " UTC-2:30"}
    for zone, said in (("UTC", "UTC"), ("Europe/Oslo", "UTC+1"), ("America/St_Johns", "UTC-3:30")):
        demo.environment["TZ"] = zone
        demo.environment["COLUMNS"] = "200"
        for look in looks:
            ran = demo(*look)
            shown = ran.out + ran.err
            moments = re.findall(r"\d{4}-\d\d-\d\d \d\d:\d\d(?::\d\d)?( UTC[-+:\d]*)?", shown)
            # What is kept or sent is in UTC for everybody.
            assert all(one in (f" {said}", in_summer.get(said), " UTC") for one in moments), (zone, look, shown)
            assert f" {said}" in moments or look in (("compare",), ("status",)), (zone, look)
            machine = demo(*look, "--format", "json").out
            ages = look[0] in ("status", "lease") or "--drawn" in look  # they say what time it is, or how much is left
            assert ages or told.setdefault(look, machine) == machine, (zone, look)
            assert not re.search(r"T\d\d:\d\d:\d\d[.\d]*[-+](?!00:00)", machine)


def test_a_moment_before_everything_is_the_first_collection(demo: Program) -> None:
    """It is said, and compared with the first; before any collection that one is missing is said."""
    found = demo("compare", "30d")
    assert (found.code, "Nothing differs" in found.out, "Compared with the first" in found.err) == (0, True, True), (
        found.err
    )
