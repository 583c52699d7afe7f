"""The settings are listed with their origins, and each connection is tried."""

import shutil

from tests.program import Program


def said(program: Program, table: str, key: str) -> tuple[str, str]:
    """The value and the origin of one key."""
    rows = program("settings", "--format", "json").json
    [row] = [row for row in rows if (row["table"], row["key"]) == (table, key)]
    return row["value"], row["origin"]


def test_each_value_says_where_it_comes_from(demo: Program) -> None:
    """From the file, by default, or not set; drivers' keys are among them."""
    assert said(demo, "directory", "file") == ('"lowmere.ldif"', "file")
    assert said(demo, "guards", "removals") == ("50", "default")
    assert said(demo, "store", "url") == (None, "not set")
    settings = demo.folder / "adzeguard.toml"
    settings.write_text(
        settings.read_text() + '\n[guards]\nremovals = 7\n\n[tell.mail]\nserver = "m:25"\nfrom = "a@b.example"\n'
    )
    assert said(demo, "guards", "removals") == ("7", "file")
    assert said(demo, "tell.mail", "server") == ('"m:25"', "file")
    assert said(demo, "tell.mail", "security") == (None, "not set")


def test_all_connections_are_tried_and_what_fails_is_named(demo: Program) -> None:
    """One line a connection; one that fails keeps none of the others from being tried."""
    good = demo("settings", "check", "--format", "json")
    assert (good.code, {row["works"] for row in good.json}) == (0, {True})
    settings = demo.folder / "adzeguard.toml"
    mail = '\n[tell.mail]\nserver = "127.0.0.1:1"\nfrom = "a@b.example"\nsecurity = "none"\n'
    settings.write_text(settings.read_text() + mail)
    shutil.move(demo.folder / "lowmere.ldif", demo.folder / "elsewhere")
    shutil.rmtree(demo.folder / "hosts")
    bad = demo("settings", "check", "--format", "json")
    works = {row["step"].split()[0]: row["works"] for row in bad.json}
    assert (bad.code, "Traceback" in bad.err) == (3, False)
    assert (works["directory"], works["hosts"], works["tell.mail"]) == (False, False, False)
    assert (works["store"], works["shares.harbour"], works["charter"]) == (True, True, True)
