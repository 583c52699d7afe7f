"""Names that are taken for others: they want a named yes, are shown with the odd letters marked, and are found."""

from base64 import b64encode

import pytest

from adzeguard.core.estate.lookalike import in_ascii, marked, odd_letters, skeleton
from tests.program import Program

CYRILLIC = "Dom\u0430in Admins"
"""With a Cyrillic a, as somebody makes it who waits for a slip."""


@pytest.fixture
def planted(demo: Program) -> Program:
    """Three groups that look like the administrators, one by ASCII alone, and a Russian one that looks like none."""
    names = {"Mooring Trial": CYRILLIC, "Paint Project": "Domain Adm1ns", "Old Regatta": "Смена Ж"}
    file = demo.folder / "lowmere.ldif"
    text = file.read_text()
    for old, new in names.items():
        encoded = b64encode(new.encode()).decode()
        assert f"sAMAccountName: {old}\n" in text
        text = text.replace(f"sAMAccountName: {old}\n", f"sAMAccountName:: {encoded}\n")
    file.write_text(text)
    demo("collect")
    return demo


def test_what_looks_like_another_group_wants_a_named_yes(planted: Program) -> None:
    """Read as the administrators, and is not: told with the letter, and done only where that is meant."""
    for name, letter in ((CYRILLIC, "Dom[\u0430]in Admins (CYRILLIC SMALL LETTER A U+0430)"), ("Domain Adm1ns", "")):
        refused = planted("group", "add", name, "orla.fenn", "--yes")
        assert refused.code == 1, refused.out
        assert letter in refused.err
        assert r"looks like LOWMERE\Domain Admins, and is not" in refused.err
        assert planted("group", "add", name, "orla.fenn", "--yes", "--lookalikes", "2").code == 1
        assert planted("group", "add", name, "orla.fenn", "--yes", "--lookalikes", "1").code == 0
    assert planted("group", "add", "Смена Ж", "orla.fenn", "--yes").code == 0
    wrong = planted("group", "add", "First Aiders", "orla.fenn", "--yes", "--lookalikes", "1")
    assert (wrong.code, "0 such names" in wrong.err) == (1, True)


def test_a_rule_that_lets_a_lookalike_in_waits_and_holds_nothing_else_up(planted: Program) -> None:
    """Written by a hand that copied it from a mail: a round tells it, and puts everything else right."""
    rules = (
        f"- {{id: r, response: mend, group: 'LOWMERE\\{CYRILLIC}', include: ['LOWMERE\\orla.fenn']}}\n"
        "- {id: other, response: mend, group: 'LOWMERE\\First Aiders', include: ['LOWMERE\\yorick.tarn']}\n"
    )
    (planted.folder / "charter/charter.yaml").write_text(f"charter: 1\nrules:\n{rules}")
    done = planted("enact", "--rule", "r", "--yes")
    assert (done.code, "looks like" in done.err) == (1, True), done.err
    told = planted("round", "--format", "json").json
    assert [one for one in told["refusals"] if "looks like" in one and "enact --rule r" in one]
    assert r"LOWMERE\orla.fenn" not in planted("show", CYRILLIC, "--format", "json").json["members"]
    assert r"LOWMERE\yorick.tarn" in planted("show", "First Aiders", "--format", "json").json["members"]


def test_a_well_chosen_name_keeps_nobody_inside(planted: Program) -> None:
    """What a rule takes out is taken out by a round, whatever it is called: nobody has typed that name."""
    assert planted("group", "add", "First Aiders", CYRILLIC, "--yes", "--lookalikes", "1").code == 0
    (planted.folder / "charter/charter.yaml").write_text(
        "charter: 1\nrules:\n- {id: r, response: mend, group: 'LOWMERE\\First Aiders', only: ['LOWMERE\\orla.fenn']}\n"
    )
    planted("round")
    assert rf"LOWMERE\{CYRILLIC}" not in planted("show", "First Aiders", "--format", "json").json["members"]


def test_those_that_stand_are_found(planted: Program) -> None:
    """Of all names those with letters of other scripts; of those of ASCII alone what is near to power."""
    assert planted("group", "add", "Backup Operators", "Domain Adm1ns", "--yes", "--lookalikes", "1").code in (0, 1)
    found = {
        row["subject"]: row for row in planted("check", "--where", "check=lookalike-name", "--format", "json").json
    }
    assert rf"LOWMERE\{CYRILLIC}" in found
    assert found[rf"LOWMERE\{CYRILLIC}"]["evidence"]["looks_like"] == r"LOWMERE\Domain Admins"
    assert not any("Смена" in subject for subject in found)
    odd = planted("check", "--where", "check=odd-letters", "--format", "json").json
    assert not any("Смена" in row["subject"] for row in odd)


@pytest.mark.parametrize(
    ("name", "looks", "odd"),
    [
        ("Domain Admins", "domain admins", ""),
        ("D\u043emain \u0410dmins", "domain admins", "\u043e\u0410"),
        ("\uff24omain Admins", "domain admins", "\uff24"),
        ("Domain\u200b Admins", "domain admins", "\u200b"),
        ("DOMAIN ADMlNS", "domain admins", ""),
        ("Dornain Admins", "domain admins", ""),
        ("0perators", "operators", ""),
        ("Отдел IT", "", ""),
        ("naïve café", "", ""),
        ("東京 Admins", "", ""),
    ],
)
def test_a_name_is_seen_as_people_see_it(name: str, looks: str, odd: str) -> None:
    """Letters of other scripts, full-width ones, signs that nobody sees; accents and words of one script do no harm."""
    assert (skeleton(name) == skeleton(looks)) == bool(looks)
    assert "".join(odd_letters(name)) == odd
    assert in_ascii(in_ascii(name)) == in_ascii(name)
    assert marked("plain") == "plain"
