"""No value breaks out of a command, an access line or a sudoers line: drawn texts against the real parsers."""

import json
import re
import subprocess
from collections.abc import Callable

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.elevation import Elevation
from adzeguard.core.identity import Sid
from adzeguard.hosts.linux.access_file import Logons, access_text
from adzeguard.hosts.linux.safe_names import access_name
from adzeguard.hosts.linux.shell import with_arguments
from adzeguard.hosts.linux.sudoers import NamedElevation, sudoers_text
from tests.linux.sandbox import LinuxHost

SIGNS = " '\"`$()\n\t\r%\\-*?[]{}!#~&;|<>=:,@+/.^\x00\x1b\x7f\u202e\u00fc\u0130aZ0"
HOSTILE = st.one_of(
    st.text(st.sampled_from(SIGNS), max_size=12),
    st.sampled_from(["$(id)", "-rf", "ALL", "NOPASSWD: ALL", "a\nb ALL=(ALL) ALL", r"LOWMERE\kiosk stewards", "%sudo"]),
    st.text(max_size=12),
    st.from_regex(r"[A-Za-z][\w .\\-]{0,14}", fullmatch=True),
)
WHO = Sid("S-1-5-21-1-2-3-1000")
DIGEST = "9f2c" * 16


@given(st.lists(HOSTILE.filter(lambda text: "\0" not in text), max_size=5))
def test_a_script_gets_its_arguments_as_they_are(arguments: list[str]) -> None:
    """Byte for byte, through the real shell; what looks like a command in them is none."""
    script = with_arguments("for one; do printf '%s\\0' \"$one\"; done", arguments)
    done = subprocess.run(["/bin/sh", "-s"], input=script, capture_output=True, check=True)
    expected = b"".join(argument.encode("utf-8", "surrogateescape") + b"\0" for argument in arguments)
    assert (done.stdout, done.stderr) == (expected, b"")


def test_a_nul_is_refused() -> None:
    """No argument of a command can hold one."""
    with pytest.raises(HostRefusedError):
        with_arguments("", ["a\0b"])


def or_nothing(make: Callable[[], str]) -> str | None:
    """What is made, or nothing where it is refused."""
    try:
        return make()
    except HostRefusedError:
        return None


@settings(max_examples=30)
@given(st.lists(st.tuples(HOSTILE, st.booleans(), HOSTILE, HOSTILE), min_size=20, max_size=40))
def test_sudo_reads_what_was_meant_or_it_is_refused(
    linux_host: LinuxHost, drawn: list[tuple[str, bool, str, str]]
) -> None:
    """Each line that is written names one person or group, one program and its arguments, as sudo's own reader says."""
    meant = [
        (NamedElevation(Elevation(f"/opt/{program}", DIGEST, WHO, arguments), name, is_group), line)
        for name, is_group, program, arguments in drawn
        if (
            line := or_nothing(
                lambda n=name, g=is_group, p=program, a=arguments: sudoers_text(
                    [NamedElevation(Elevation(f"/opt/{p}", DIGEST, WHO, a), n, g)]
                )
            )
        )
    ]
    for one, text in meant:
        linux_host.run("sh", "-c", "cat > /root/drawn; chmod 0440 /root/drawn", given=text)
        assert linux_host.run("visudo", "-c", "-s", "-f", "/root/drawn").returncode == 0, text
        read = json.loads(linux_host.run("cvtsudoers", "-f", "json", "/root/drawn").stdout)
        [spec] = read["User_Specs"]
        assert spec["User_List"] == [{"usergroup" if one.is_group else "username": one.name}]
        [commands] = spec["Cmnd_Specs"]
        assert commands["runasusers"] == [{"username": "root"}]
        [command] = commands["Commands"]
        wanted = one.elevation.program + (f" {one.elevation.arguments}" if one.elevation.arguments else "")
        assert re.sub(r"\\(.)", r"\1", command["command"]) == wanted
        assert command["sha256"] == DIGEST


@pytest.mark.parametrize("name", ["ALL", "ADMINS"])
def test_a_name_in_capitals_is_a_name_and_no_alias(linux_host: LinuxHost, name: str) -> None:
    """Whoever is called ALL is one person: nobody else gets what they get; the person does."""
    digest = linux_host.run("sha256sum", "/opt/charts/update").stdout.split()[0]
    elevation = Elevation("/opt/charts/update", digest, WHO)
    for is_group in (False, True):
        text = sudoers_text([NamedElevation(elevation, name, is_group)])
        put = 'useradd -M "$1" 2> /dev/null; cat > /etc/sudoers.d/drawn; chmod 0440 /etc/sudoers.d/drawn'
        linux_host.run("sh", "-c", put, "sh", name, given=text)
        allowed = [
            linux_host.run("sudo", "-n", "-l", "-U", who, "/opt/charts/update").returncode == 0 for who in (name, "ada")
        ]
        linux_host.run("sh", "-c", 'rm /etc/sudoers.d/drawn; userdel "$1"', "sh", name)
        assert allowed == [True, False], text


@settings(max_examples=40)
@given(HOSTILE.map(str.strip))
def test_sudo_lets_the_arguments_that_were_meant_and_no_others(linux_host: LinuxHost, arguments: str) -> None:
    """What looks like a pattern is none: the same words pass, others do not, nor do more or fewer."""
    elevation = Elevation("/usr/bin/id", linux_host.run("sha256sum", "/usr/bin/id").stdout.split()[0], WHO, arguments)
    text = or_nothing(lambda: sudoers_text([NamedElevation(elevation, "ben", is_group=False)]))
    if text is None or not arguments:
        return
    linux_host.run("sh", "-c", "cat > /etc/sudoers.d/drawn; chmod 0440 /etc/sudoers.d/drawn", given=text)
    words = arguments.split(" ")
    tries = [words, [*words, "more"], words[:-1], [f"{words[0]}x", *words[1:]], ["-u"]]
    allowed = [linux_host.run("sudo", "-n", "-l", "-U", "ben", "/usr/bin/id", *t).returncode == 0 for t in tries]
    linux_host.run("rm", "/etc/sudoers.d/drawn")
    assert allowed == [True, *(t == words for t in tries[1:])], text


@settings(max_examples=60)
@given(HOSTILE, st.booleans())
def test_an_access_file_refuses_whom_it_names_and_nobody_else(linux_host: LinuxHost, name: str, is_group: bool) -> None:
    """A line that PAM cannot parse would let everybody in: what is written refuses that one, and lets the others."""
    if or_nothing(lambda: access_name(name)) is None:
        return
    folder = "/var/lib/extrausers"
    people = f"{name if not is_group else 'drawn'}:x:30001:30000::/tmp:/bin/sh\n"
    group = f"{name if is_group else 'drawn-group'}:x:30000:\n"
    shadow = people.partition(":")[0] + ":*:19000:0:99999:7:::\n"
    logons = Logons([] if is_group else [name], [name] if is_group else [])
    script = (
        f"for one in passwd group shadow; do cp {folder}/$one /tmp/$one.kept; done\n"
        f'printf %s "$1" >> {folder}/passwd; printf %s "$2" >> {folder}/group; printf %s "$3" >> {folder}/shadow\n'
        'printf %s "$4" > /etc/security/adzeguard-console.conf\n'
        'lets() { if pamtester login "$1" acct_mgmt > /dev/null 2>&1; then echo in; else echo out; fi; }\n'
        'lets "$5"; lets ada\n'
        ": > /etc/security/adzeguard-console.conf\n"
        f"for one in passwd group shadow; do cp /tmp/$one.kept {folder}/$one; done\n"
    )
    person = people.partition(":")[0]
    done = linux_host.run("sh", "-c", script, "sh", people, group, shadow, access_text(logons), person)
    assert done.stdout.split() == ["out", "in"], (name, done.stderr)
