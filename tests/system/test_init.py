"""Making a workspace tries the connection, and says what it found or what is wrong."""

from pathlib import Path

from tests.program import Program


def test_it_says_what_it_is_connected_to(demo: Program, tmp_path: Path) -> None:
    """The domain by both its names; the next command is said."""
    made = Program(tmp_path)("init", "w", "--ldif", demo.folder / "lowmere.ldif")
    assert made.code == 0, made.err
    assert "the domain LOWMERE (lowmere.example)" in made.out
    assert "Next: adzeguard collect --workspace w" in made.out
    assert made.err == ""


def test_nothing_is_written_where_nothing_can_be_read(tmp_path: Path) -> None:
    """No server, no password, a file that is none: 1 and one line each; --anyway writes, and says how to go on."""
    program = Program(tmp_path)
    server = ("--ldap", "ldaps://127.0.0.1:1", "--bind-as", r"LOWMERE\reader")
    (tmp_path / "none.ldif").write_text("this is no LDIF\n")
    said = "there is no password"
    for words, environment in ((server, {}), (server, {"ADZEGUARD_PASSWORD": "x"}), (("--ldif", "none.ldif"), {})):
        program.environment |= environment | {"ADZEGUARD_PASSWORD_FOR": "ldaps://127.0.0.1:1"}
        refused = program("init", "w", *words)
        assert (refused.code, said in refused.err, "--anyway" in refused.err) == (1, True, True)
        assert not (tmp_path / "w").exists()
        said = "connection refused" if said == "there is no password" else "none.ldif"
    made = program("init", "w", "--ldif", "none.ldif", "--anyway")
    assert (made.code, "Next: adzeguard settings check --workspace w" in made.out) == (0, True)
    assert program("settings", "check", "--workspace", "w").code == 3
