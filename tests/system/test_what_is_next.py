"""What to do next is said everywhere, by a command that works as it is printed."""

import shlex

import pytest

from adzeguard.cli.main import COMMANDS
from tests.program import Program, Ran

WIDTH, LINES, WORDS = 80, 24, 44


def run_as_printed(program: Program, command: str) -> Ran:
    """Run a line that was printed, and say no to its question."""
    words = shlex.split(command, comments=True)
    assert words[0] == "adzeguard"
    return program(*words[1:], typed="n\n" * 3)


def printed_commands(said: str) -> list[str]:
    """The commands below "Next:"."""
    below = said.partition("Next:\n")[2].splitlines()
    return [line.strip() for line in below if line.startswith("  adzeguard ")]


def test_the_help_fits_one_screen_and_names_every_command(demo: Program) -> None:
    """24 lines of 80 letters, and at most 44 words to learn."""
    lines = demo("--help").out.splitlines()
    assert len(lines) <= LINES
    assert len(COMMANDS) <= WORDS
    assert max(map(len, lines)) <= WIDTH
    words = {word for line in lines for word in line.split()}
    assert set(COMMANDS) <= words
    assert demo("help").out.splitlines() == lines


def test_help_lists_all_commands_with_a_sentence_each(demo: Program) -> None:
    """Whole at 80 columns."""
    said = demo("help", "--all").out
    assert all(f"  {name} " in said and row.sentence in said for name, row in COMMANDS.items())
    assert max(map(len, said.splitlines())) <= WIDTH


@pytest.mark.parametrize("words", [*((name,) for name in COMMANDS), ("group", "add"), ("hosts", "test")], ids=" ".join)
def test_help_explains_each_command_as_it_does_itself(demo: Program, words: tuple[str, ...]) -> None:
    """Also those that have commands below them, and those below."""
    assert demo("help", *words).out == demo(*words, "--help").out


def test_help_for_what_is_no_command_says_what_comes_near(demo: Program) -> None:
    """At the top and below."""
    assert "Did you mean who?" in demo("help", "whom").err
    assert "Did you mean add?" in demo("help", "group", "adds").err
    assert "has no commands below it" in demo("help", "who", "add").err


def test_without_a_command_the_workspace_says_how_it_stands_and_what_is_next(demo: Program) -> None:
    """As status does; each step works as it is printed, and programs get the same steps."""
    demo("check")
    alone = demo()
    assert (alone.code, alone.out) == (3, demo("status").out)
    steps = printed_commands(alone.out)
    assert 0 < len(steps) <= 5
    told = demo("status", "--format", "json").json["next_steps"]
    assert [f"{one['command']} {one['reason']}" for one in told] == [" ".join(step.split()) for step in steps]
    for one in told:
        assert run_as_printed(demo, one["command"]).code in (0, 3, 4), one


def test_what_presses_most_stands_first(demo: Program) -> None:
    """A host without a keeper before what a proposal would mend, and that before questions."""
    assert demo("status", "--format", "json").json["next_steps"][0]["command"] == "adzeguard check"
    demo("round")
    demo("check")
    commands = [one["command"] for one in demo("status", "--format", "json").json["next_steps"]]
    wanted = ["adzeguard propose", "adzeguard check --severity high", "adzeguard questions"]
    assert [one for one in commands if one in wanted] == [one for one in wanted if one in commands]
    assert "adzeguard questions" in commands


def test_outside_a_workspace_it_says_how_to_begin(demo: Program) -> None:
    """In twelve lines, whose commands there are."""
    outside = Program(demo.folder.parent)
    said = outside()
    assert said.code == 0
    assert len(said.out.splitlines()) <= 12
    named = [line.split()[1] for line in said.out.splitlines() if line.startswith("  adzeguard ")]
    assert set(named) <= set(COMMANDS)
    assert {"demo", "init", "collect"} <= set(named)


def test_every_finding_ends_with_a_command_that_works(demo: Program) -> None:
    """Each that the checks of the demo give, its trail read: to people the worst, to programs all."""
    demo("trail", "import", "trail.jsonl")
    people = demo("check")
    for step in printed_commands(people.out):
        assert run_as_printed(demo, step).code in (0, 3, 4), step
    found = demo("check", "--each", "--format", "json").json
    commands = {row["check"]: row["next"] for row in found}
    assert len(commands) > 20
    for check, command in commands.items():
        ran = run_as_printed(demo, command)
        asks = "for a yes, and there is no terminal to ask on" in ran.err
        assert ran.code in (0, 3, 4) or asks, (check, command, ran.err)


def test_quiet_says_nothing_unless_there_is_something(demo: Program) -> None:
    """A line of cron sends mail only then: a listing without rows, and a round that had nothing to do."""
    assert demo("check", "--quiet", "--severity", "high").out.startswith("1 critical")
    assert demo("check", "--quiet", "--where", "rule=none-of-ours").out == ""
    assert demo("lease", "--quiet").out == ""
    assert "Mended: " in demo("round", "--quiet").out
    nothing = demo("round", "--quiet")
    assert (nothing.code, nothing.out) == (0, "")
    assert demo("round", "--quiet", "--format", "json").out == ""


def test_a_collection_tolerates_that_some_hosts_are_off(demo: Program) -> None:
    """Two of 64 are: that is more than three of a hundred, and less than four."""
    assert [demo("collect", "--tolerate", part).code for part in ("0", "3%", "4%", "100")] == [4, 4, 0, 0]
    assert "no part of a hundred" in demo("collect", "--tolerate", "101%").err
