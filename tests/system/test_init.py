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


def test_what_cannot_be_read_is_told_and_the_workspace_stands(tmp_path: Path) -> None:
    """No server, no password, a file that is none: one line each, and the settings are there to be mended."""
    program = Program(tmp_path)
    server = ("--ldap", "ldaps://127.0.0.1:1", "--bind-as", r"LOWMERE\reader")
    assert "there is no password" in program("init", "a", *server).err
    program.environment |= {"ADZEGUARD_PASSWORD": "x", "ADZEGUARD_PASSWORD_FOR": "ldaps://127.0.0.1:1"}
    refused = program("init", "b", *server)
    assert (refused.code, "connection refused" in refused.err) == (0, True)
    (tmp_path / "none.ldif").write_text("this is no LDIF\n")
    odd = program("init", "c", "--ldif", "none.ldif")
    assert (odd.code, "could not be read" in odd.err) == (0, True)
    for name in "abc":
        assert (tmp_path / name / "adzeguard.toml").is_file()
