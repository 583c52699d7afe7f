"""A Linux host over SSH: the program from end to end against real OpenSSH, PAM and sudo."""

import json
import subprocess
import sys
from hashlib import sha256
from pathlib import Path

import pytest

from adzeguard.core.change.kinds.add_local_member import RemoveLocalMember
from adzeguard.core.drivers import NoNames
from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.named import Named
from adzeguard.hosts.linux.session import Habits, LinuxSession
from adzeguard.hosts.linux.shell import Ran
from tests.linux.nav import NAV, charter
from tests.linux.sandbox import LinuxHost
from tests.program import Json, Program, enacted

ORLA, ROAN = r"LOWMERE\orla.fenn", r"LOWMERE\roan.pell"
UPDATE = "/opt/charts/update"


def traces(host: LinuxHost) -> str:
    """What of ours is on the host beyond the empty access files that its services of PAM ask for."""
    where = "/etc/adzeguard /etc/sudoers.d /etc/issue.d /etc/motd.d /etc/ssh/sshd_config.d /etc/security"
    found = host.run(
        "sh", "-c", f"find {where} -name '*adzeguard*' -size +0 2> /dev/null; ls -A /etc/adzeguard 2> /dev/null"
    )
    lines = found.stdout.split()
    return " ".join(line for line in lines if not line.startswith("/etc/security/") or _says_anything(host, line))


def _says_anything(host: LinuxHost, path: str) -> bool:
    return any(not line.startswith("#") for line in host.run("cat", path).stdout.splitlines())


def test_what_a_host_says_is_seen(nav: Program) -> None:
    """Its administrators with whoever has the number 0, groups by primary group too, people of the directory by SID."""
    shown = nav("show", NAV, "--format", "json").json
    groups = {group["name"]: set(group["members"]) for group in shown["local_groups"]}
    assert groups["administrators"] == {rf"{NAV}\root", rf"{NAV}\cleo", rf"{NAV}\keeper"}
    assert groups["navigators"] == {rf"{NAV}\ben"}
    assert groups["ada"] == {rf"{NAV}\ada"}
    assert set(shown["capabilities"]) == {"elevation", "local-groups", "logon-refusal", "notice"}
    assert shown["logon"]["ways"] == ["console", "remote"]
    steps = {row["step"]: row["works"] for row in nav("hosts", "test", NAV, "--format", "json").json}
    assert {steps[step] for step in ("name", "port", "host key and login", "right to change", "read")} == {True}


SUDOERS = """\
%navigators ALL=(ALL) NOPASSWD: ALL
User_Alias CREW = ada, LOWMERE\\\\roan.pell
CREW nav-01=(root) /bin/bash, !/bin/sh
dora elsewhere=(ALL) ALL
dora ALL=(cleo) ALL
dora ALL=(root) /opt/charts/update
"""


def test_administrators_by_lines_of_sudo_are_seen_and_ended_where_they_stand(
    nav: Program, linux_host: LinuxHost
) -> None:
    """By name, alias, group and number, of the directory too; who may run one program, elsewhere or as another is none.

    An account whose password is locked logs in by its key, and is no disabled one. sudo itself agrees about each.
    """
    more = "/etc/sudoers.d/more"
    ways = {
        "ada": "a line of sudo",
        "ben": "a line of sudo",
        "twin": "its number, which is 0",
        "dora": "",
        "elli": "the group helpers, which has the same number",
    }
    linux_host.run("sh", "-c", f"cat > {more}; chmod 0440 {more}; visudo -c", given=SUDOERS)
    linux_host.run("sh", "-c", "groupadd -o -g $(getent group sudo | cut -d: -f3) helpers; useradd -o -u 0 -M twin")
    linux_host.run("sh", "-c", "for one in dora elli; do useradd -m -s /bin/sh $one; done; gpasswd -a elli helpers")
    try:
        nav("collect")
        inside = nav("who", "--on", NAV, "--format", "json").json
        found = {row["name"]: row["how"] for row in inside}
        for name, how in ways.items():
            assert found.get(name, "") == how
            judged = linux_host.run("sh", "-c", f'[ "$(id -u {name})" = 0 ] || sudo -n -l -U {name} /bin/bash')
            assert (judged.returncode == 0) == bool(how)
        assert found["roan.pell"] == "a line of sudo"
        assert {row["enabled"] for row in inside if row["name"].endswith("ada")} == {True}
        assert "by a line of sudo: LOWMERE\\roan.pell" in nav("why", "roan.pell", "--on", NAV).out
        doors = nav("doors", NAV, "--format", "json").json
        assert {d["through"] for d in doors if d["person"] == rf"{NAV}\ben"} == {"a line of sudo"}
        charter(nav, r"local-group: administrators" + "\n  only: [local\\administrator, local\\cleo, local\\keeper]")
        proposed = nav("propose", "--format", "json").json
        assert proposed["changes"] == []
        reasons = {one["member"]: one["reason"] for one in proposed["left_out"]}
        assert reasons[rf"{NAV}\ada"] == "it is so by a line of sudo, and is ended there"
        by_hand = nav("group", "remove", "--on", NAV, "administrators", r"local\ben", "--yes")
        assert "is an administrator by a line of sudo" in by_hand.out + by_hand.err
    finally:
        linux_host.run("sh", "-c", f"rm {more}; for one in dora elli twin; do userdel -f $one; done; groupdel helpers")


def test_administrators_are_exactly_those_of_the_rule(nav: Program, linux_host: LinuxHost) -> None:
    """A hand-made entry goes when the rule says `only`, stays when it says `include`, and comes back by undo."""
    charter(nav, rf"local-group: administrators{chr(10)}  only: [local\administrator, local\ada, {ORLA}]")
    assert {(r["kind"], r["member"]) for r in enacted(nav)} == {
        ("add-local-member", rf"{NAV}\ada"),
        ("add-local-member", ORLA),
        ("remove-local-member", rf"{NAV}\cleo"),
    }
    assert linux_host.members("sudo") == {"ada", ORLA}
    linux_host.run("gpasswd", "-a", "ben", "sudo")
    linux_host.run("sh", "-c", "sed -i 's/^sudo:.*/&,ghost/' /etc/group")
    nav("collect")
    found = {f["member"] for f in nav("check", "--format", "json").json if f["check"] == "unlisted-member"}
    assert found == {rf"{NAV}\ben", rf"{NAV}\ghost", rf"{NAV}\keeper"}
    assert len(enacted(nav)) == 2
    assert linux_host.members("sudo") == {"ada", ORLA}
    linux_host.run("gpasswd", "-a", "ben", "sudo")
    nav("collect")
    charter(nav, r"local-group: administrators" + "\n  include: [local\\ada, local\\cleo]")
    assert {(r["kind"], r["member"]) for r in enacted(nav)} == {
        ("add-local-member", rf"{NAV}\cleo"),
        ("remove-local-member", ORLA),
    }
    assert linux_host.members("sudo") == {"ada", "ben", "cleo"}
    charter(nav, r"local-group: local\navigators" + "\n  include: [LOWMERE\\Galley Crew, local\\ada]")
    [left] = nav("propose", "--format", "json").json["left_out"]
    assert (
        left["reason"]
        == f"unsupported: {NAV} has no groups-in-groups: a group of a Linux host holds accounts, and no groups"
    )
    assert {(r["kind"], r["group"]) for r in enacted(nav)} >= {("add-local-member", rf"{NAV}\navigators")}
    assert linux_host.members("navigators") == {"ada", "ben"}
    linux_host.run("gpasswd", "-d", "ben", "sudo")
    linux_host.run("gpasswd", "-M", "cleo", "sudo")
    linux_host.run("gpasswd", "-M", "ben", "navigators")


def test_refused_logon_is_refused_by_that_way_alone_from_then_on(nav: Program, linux_host: LinuxHost) -> None:
    """A refused group cannot log in remotely but can at the console, and the other way round; withdrawn, they can."""

    def lets(person: str) -> tuple[bool, bool]:
        return linux_host.remote_login(person), linux_host.console_login(person)

    assert lets("ben") == lets("ada") == lets(ORLA) == (True, True)
    charter(nav, r"refuse-logon: {remote: [local\navigators, LOWMERE\Domain Users], console: [local\ada]}")
    assert {r["kind"] for r in enacted(nav)} == {"refuse-logon"}
    assert lets("ben") == (False, True)
    assert lets(ORLA) == (False, True)
    assert lets("ada") == (True, False)
    assert lets("cleo") == lets("keeper") == (True, True)
    assert nav("collect", "--full").out.count("0 hosts.") == 1
    charter(nav, r"allow-logon-only: {remote: [local\cleo, LOWMERE\Galley Crew]}")
    assert {r["kind"] for r in enacted(nav)} == {"end-refusal", "logon-alone"}
    assert lets("ben") == lets("ada") == lets(ORLA) == (False, True)
    assert lets(ROAN) == lets("cleo") == lets("keeper") == (True, True)
    charter(nav)
    enacted(nav)
    assert lets("ben") == lets("ada") == lets(ORLA) == (True, True)
    assert traces(linux_host) == ""


def by_bare_names(program: Program, **people: str) -> None:
    """The host names people of the directory by their bare names, and some of them have other ones."""
    settings, directory = program.folder / "adzeguard.toml", program.folder / "lowmere.ldif"
    settings.write_text(settings.read_text().replace(r"names = '{domain}\{name}'", "names = '{name}'"))
    text = directory.read_text()
    for name, was in people.items():
        assert f"sAMAccountName: {was.replace('_', '.')}\n" in text
        text = text.replace(f"sAMAccountName: {was.replace('_', '.')}\n", f"sAMAccountName: {name}\n")
    directory.write_text(text)
    program("collect", "--full")


def test_a_person_of_the_directory_is_never_taken_for_an_account_of_the_host(
    nav: Program, linux_host: LinuxHost
) -> None:
    """The host has its own ben, and BEN would be him to people: what is meant for the other never reaches him."""
    by_bare_names(nav, BEN="roan_pell", navigators="Galley Crew")
    asked = {
        "add-local-member": "local-group: administrators\n  include: ['LOWMERE\\BEN']",
        "refuse-logon": r"refuse-logon: {remote: ['LOWMERE\BEN', 'LOWMERE\navigators']}",
        "logon-alone": r"allow-logon-only: {remote: ['LOWMERE\BEN', local\cleo]}",
        "give-elevation": rf"elevate: {{program: {UPDATE}, sha256: {'0' * 64}, for: ['LOWMERE\BEN']}}",
    }
    for kind, rule in asked.items():
        charter(nav, rule)
        done = nav("enact", "--yes", "--format", "json").json
        assert {(row["kind"], row["status"]) for row in done} == {(kind, "refused")}
        assert all("of its own, which is somebody else" in row["detail"] for row in done)
    assert linux_host.members("sudo") == {"cleo"}
    assert traces(linux_host) == ""
    assert linux_host.remote_login("ben")


def test_a_name_means_whom_the_host_means_by_it_now(nav: Program, linux_host: LinuxHost) -> None:
    """An account that the host got later under the name of somebody refused is refused; the other one is not."""
    by_bare_names(nav, dora="roan_pell")
    people = "/var/lib/extrausers/passwd"
    before = linux_host.run("cat", people).stdout
    linux_host.run("sh", "-c", f"echo 'dora:x:20009:20000:Dora:/tmp:/bin/sh' >> {people}")
    try:
        charter(nav, r"refuse-logon: {remote: 'LOWMERE\dora'}")
        enacted(nav)
        assert nav("show", NAV, "--format", "json").json["logon"]["refused"] == {"remote": [r"LOWMERE\dora"]}
        linux_host.run("sh", "-c", f"sed -i /dora/d {people}; useradd -m -s /bin/sh dora")
        nav("collect")
        assert nav("show", NAV, "--format", "json").json["logon"]["refused"] == {"remote": [rf"{NAV}\dora"]}
        found = {row["check"]: row["member"] for row in nav("check", "--format", "json").json}
        assert found["logon-not-refused"] == r"LOWMERE\dora"
    finally:
        linux_host.run("sh", "-c", f"userdel -rf dora 2> /dev/null; cat > {people}", given=before)


class _Keyboard:
    """Runs scripts on the host itself, in the name of an account."""

    def __init__(self, host: LinuxHost, account: str) -> None:
        self._host, self.account = host, account

    def run(self, script: bytes) -> Ran:
        done = self._host.run("sh", "-s", given=script.decode())
        return Ran(done.returncode, done.stdout.encode(), done.stderr)


def test_we_do_not_take_our_own_way_in(nav: Program, linux_host: LinuxHost) -> None:
    """Our account is in sudo by the group alone: no proposal and no driver takes it out; with a line too, it goes."""
    line, aside = "/etc/sudoers.d/keeper", "/etc/sudoers.d/zz-group"
    before = linux_host.run("cat", line).stdout
    only = r"local-group: administrators" + "\n  only: [local\\administrator, local\\cleo]"
    linux_host.run("sh", "-c", f"gpasswd -a keeper sudo; echo '%sudo ALL=(ALL) NOPASSWD: ALL' > {aside}")
    linux_host.run("sh", "-c", f"chmod 0440 {aside}; cat > {line}", given="# nothing\n")
    try:
        nav("collect")
        charter(nav, only)
        refused = nav("enact", "--yes")
        assert refused.code == 1
        assert r"local\keeper is the account by which adzeguard comes to" in refused.err
        session = LinuxSession(_Keyboard(linux_host, "keeper"), NoNames(), Habits())
        administrators, keeper = Named("administrators", "S-1-5-32-544"), session.read().account_named("keeper")
        member = Named("keeper", str(keeper))
        out_of = RemoveLocalMember(host=NAV, group=administrators, member=member, rule="x")
        with pytest.raises(HostRefusedError, match="by whom adzeguard comes here"):
            session.change(out_of)
        assert "keeper" in linux_host.members("sudo")
        linux_host.run("sh", "-c", f"cat > {line}", given=before)
        session.change(out_of)
        assert linux_host.members("sudo") == {"cleo"}
    finally:
        linux_host.run("sh", "-c", f"rm -f {aside}; cat > {line}; gpasswd -M cleo sudo", given=before)


def test_the_account_in_use_is_never_shut_out(nav: Program, linux_host: LinuxHost) -> None:
    """The host says so when it is asked, and nothing is changed."""
    charter(nav, r"refuse-logon: {remote: [local\keeper]}")
    done = nav("enact", "--yes", "--format", "json")
    assert [(r["status"], r["detail"]) for r in done.json] == [
        ("refused", "keeper is the account that adzeguard itself uses there")
    ]
    assert linux_host.remote_login("keeper")
    assert traces(linux_host) == ""


def test_a_notice_is_shown_before_anybody_logs_on(nav: Program, linux_host: LinuxHost) -> None:
    """At the console and over SSH, as it is written; withdrawn, nothing is left of it."""
    charter(nav, 'notice: {title: "Bridge only", text: "Ask the \\\\n bridge $(id) `id` %s"}')
    assert [r["kind"] for r in enacted(nav)] == ["set-notice"]
    shown = "Bridge only\nAsk the \\n bridge $(id) `id` %s\n"
    assert linux_host.run("cat", "/etc/motd.d/adzeguard").stdout == shown
    assert linux_host.run("cat", "/etc/issue.d/adzeguard.issue").stdout == shown.replace("\\", "\\\\")
    assert linux_host.banner() == shown
    before = (nav.folder / "charter/charter.yaml").read_text()
    charter(nav)
    enacted(nav)
    assert (linux_host.banner(), traces(linux_host)) == ("", "")
    (nav.folder / "charter/charter.yaml").write_text(before)
    enacted(nav)
    assert nav("undo", "--last", "--yes").code == 0
    assert traces(linux_host) == ""


def test_one_program_runs_elevated_at_its_digest(nav: Program, linux_host: LinuxHost) -> None:
    """For the named people alone, refused once the file changes, which `check` tells with the new digest."""
    digest = sha256(linux_host.run("cat", UPDATE).stdout.encode()).hexdigest()
    rule = rf"elevate: {{program: {UPDATE}, sha256: {digest}, for: [local\ben, {ORLA}, LOWMERE\Galley Crew]}}"
    charter(nav, rule)
    assert {r["kind"] for r in enacted(nav)} == {"give-elevation"}
    runs = {who: linux_host.runs_elevated(who, UPDATE) for who in ("ada", "ben", ORLA, ROAN)}
    assert runs == {"ada": False, "ben": True, ORLA: True, ROAN: True}
    nav("collect")
    ran = {(one["who"], one["program"]) for one in nav("show", NAV, "--format", "json").json["ran_elevated"]}
    assert ran == {(rf"{NAV}\ben", UPDATE), (ORLA, UPDATE), (ROAN, UPDATE)}
    assert not linux_host.runs_elevated("ben", "/usr/bin/id", "-un")
    linux_host.run("sh", "-c", f"echo '# newer' >> {UPDATE}")
    newer = sha256(linux_host.run("cat", UPDATE).stdout.encode()).hexdigest()
    assert not linux_host.runs_elevated("ben", UPDATE)
    nav("collect")
    [changed] = [f for f in nav("check", "--format", "json").json if f["check"] == "program-changed"]
    assert (changed["subject"], changed["evidence"]["sha256_now"]) == (NAV, newer)
    charter(nav, rule.replace(digest, newer).replace(", LOWMERE\\Galley Crew", ""))
    enacted(nav)
    runs = {who: linux_host.runs_elevated(who, UPDATE) for who in ("ben", ORLA, ROAN)}
    assert runs == {"ben": True, ORLA: True, ROAN: False}
    charter(nav, rule.replace(digest, newer).replace("elevate", "until: 2026-01-01\n  elevate"))
    enacted(nav)
    assert not linux_host.runs_elevated("ben", UPDATE)
    assert traces(linux_host) == ""


def test_arguments_and_an_end_are_held_by_sudo(nav: Program, linux_host: LinuxHost) -> None:
    """Other arguments than those of the rule are refused, and after its last day all are."""
    digest = linux_host.run("sha256sum", "/usr/bin/id").stdout.split()[0]
    rule = (
        f"until: 2999-12-31\n  elevate: {{program: /usr/bin/id, sha256: {digest}, for: [local\\ben], arguments: -un}}"
    )
    charter(nav, rule)
    enacted(nav)
    assert linux_host.runs_elevated("ben", "/usr/bin/id", "-un")
    assert not linux_host.runs_elevated("ben", "/usr/bin/id", "-u", "-n")
    assert "NOTAFTER=30000101000000Z" in linux_host.run("cat", "/etc/sudoers.d/adzeguard").stdout
    charter(nav)
    enacted(nav)
    assert traces(linux_host) == ""


def test_a_program_that_others_may_write_is_never_elevated(nav: Program, linux_host: LinuxHost) -> None:
    """By its own mode, its owner, a folder above it or where its link leads; one that is opened later is found."""
    place, digest = "/opt/charts", linux_host.run("sha256sum", UPDATE).stdout.split()[0]
    made = f"mkdir -p {place}/sub; cp -p {UPDATE} {place}/sub/update; mkdir -p /home/ben/bin; cp {UPDATE} /home/ben/bin"
    linux_host.run("sh", "-c", f"{made}; ln -sf /home/ben/bin/update {place}/link")
    ways = {
        f"chmod go-w {UPDATE}; chmod 0775 {place}": (f"{place}/sub/update", place),
        f"chmod 0755 {place}; chown ben {place}/sub/update": (f"{place}/sub/update", f"{place}/sub/update"),
        f"chown root {place}/sub/update; chown ben {place}/sub": (f"{place}/sub/update", f"{place}/sub"),
        f"chown root {place}/sub": (f"{place}/link", "/home/ben"),
    }
    try:
        for opened, (program, at) in ways.items():
            linux_host.run("sh", "-c", opened)
            charter(nav, rf"elevate: {{program: {program}, sha256: {digest}, for: [local\ben]}}")
            [row] = nav("enact", "--yes", "--format", "json").json
            assert row["status"] == "refused"
            assert f"can be changed by others than root, at {at}:" in row["detail"]
        charter(nav, rf"elevate: {{program: {place}/sub/update, sha256: {digest}, for: [local\ben]}}")
        enacted(nav)
        linux_host.run("chmod", "0777", f"{place}/sub")
        nav("collect")
        [found] = [one for one in nav("check", "--format", "json").json if one["check"] == "program-writable"]
        assert found["evidence"]["at"] == f"{place}/sub"
        charter(nav)
        enacted(nav)
    finally:
        linux_host.run("sh", "-c", f"chmod 0755 {place}; rm -rf {place}/sub {place}/link /home/ben/bin")


def test_no_arguments_are_none_and_absent_ones_are_any(nav: Program, linux_host: LinuxHost) -> None:
    """`arguments: ''` lets sudo run the program alone; a list is refused in one line; a shell in a rule is told."""
    digest = linux_host.run("sha256sum", "/usr/bin/id").stdout.split()[0]
    rule = rf"elevate: {{program: /usr/bin/id, sha256: {digest}, for: [local\ben], arguments: ''}}"
    charter(nav, rule)
    assert "/usr/bin/id at" in nav("propose").out
    assert "without arguments" in " ".join(nav("propose").out.split())
    enacted(nav)
    as_ben = 'exec sudo -n -- "$@"'
    ran = [linux_host.run("su", "ben", "-c", as_ben, "--", "sh", "/usr/bin/id", *more) for more in ((), ("-un",))]
    assert [one.returncode for one in ran] == [0, 1]
    assert "runs /usr/bin/id without arguments" in " ".join(nav("show", NAV).out.split())
    charter(nav, rule.replace("''", "[-u, -n]"))
    [line] = nav("check").err.strip().splitlines()
    assert "arguments is one text, such as '-u -n', and no list" in line
    charter(nav, rule.replace("/usr/bin/id", "/usr/bin/vi").replace(", arguments: ''", ""))
    found = {one["check"]: one["message"] for one in nav("check", "--format", "json").json}
    assert found["gives-a-shell"].startswith("/usr/bin/vi is a shell, runs other programs or writes any file")
    charter(nav)
    enacted(nav)
    assert traces(linux_host) == ""


def test_what_somebody_wrote_into_a_file_of_ours_stops_everything_there(nav: Program, linux_host: LinuxHost) -> None:
    """A line that gives more is never taken for ours: the host has a trouble that says which file it is."""
    charter(nav, r"refuse-logon: {console: [local\ada]}")
    enacted(nav)
    linux_host.run("sh", "-c", "echo 'ada ALL=(ALL) NOPASSWD: ALL' > /etc/sudoers.d/adzeguard")
    assert "/etc/sudoers.d/adzeguard is not as adzeguard wrote it" in nav("collect").err
    linux_host.run("rm", "/etc/sudoers.d/adzeguard")
    assert NAV not in nav("collect").err
    charter(nav)
    enacted(nav)
    assert traces(linux_host) == ""


def test_a_host_whose_key_is_not_known_is_refused_with_the_line_that_adds_it(
    nav: Program, linux_host: LinuxHost, tmp_path: Path
) -> None:
    """Nothing is sent there; the line that is said makes it known."""
    empty = tmp_path / "known"
    empty.touch()
    settings = nav.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace(str(linux_host.known_hosts), str(empty)))
    refused = nav("hosts", "test", NAV, "--format", "json")
    said = refused.json[-1]["said"]
    assert refused.code == 3
    assert f"the key of 127.0.0.1 is not in {empty}" in said
    empty.write_text(said.partition("add the line: ")[2] + "\n")
    assert nav("hosts", "test", NAV).code == 0


def test_the_host_itself_is_worked_on_without_a_connection(nav: Program, linux_host: LinuxHost) -> None:
    """The same driver where the program runs: it reads and changes this host, and knows no other."""
    settings = nav.folder / "adzeguard.toml"
    text = settings.read_text()
    at, end = text.index("[hosts.nav]"), text.index("[hosts.others]")
    part = f"kind = 'local'\nnamed = ['{NAV}', 'KIOSK-01']\nhost = '{NAV}'"
    here = f"[hosts.nav]\n{part}\nnames = '{{domain}}\\{{name}}'\n\n"
    settings.write_text(text[:at] + here + text[end:])

    def there(*arguments: str) -> Json:
        program = [sys.executable, "-m", "adzeguard", *arguments, "--workspace", str(nav.folder), "--format", "json"]
        done = linux_host.run(*program)
        assert done.returncode in (0, 4), done.stderr
        return json.loads(done.stdout)

    charter(nav, r"local-group: administrators" + "\n  include: [local\\ada]", r"refuse-logon: {console: [local\ben]}")
    steps = {row["step"]: row["said"] for row in there("hosts", "test", NAV)}
    assert (steps["name"], steps["right to change"]) == (f"this host is {NAV}", "runs as root")
    assert {row["status"] for row in there("enact", "--yes")} == {"verified"}
    assert linux_host.members("sudo") == {"ada", "cleo"}
    assert (linux_host.console_login("ben"), linux_host.console_login("ada")) == (False, True)
    assert linux_host.run(sys.executable, "-m", "adzeguard", "collect", "--workspace", str(nav.folder)).returncode == 4
    assert {row["name"]: row["source"] for row in there("hosts", "list")}["KIOSK-01"] is None


def test_an_account_without_the_right_to_change_is_told(nav: Program, linux_host: LinuxHost) -> None:
    """Who may not run the shell as root hears it from sudo, with the way out, and nothing is read or changed."""
    settings = nav.folder / "adzeguard.toml"
    settings.write_text(settings.read_text().replace('account = "keeper"', 'account = "ada"'))
    tried = nav("hosts", "test", NAV, "--format", "json")
    assert tried.code == 3
    assert "sudo refuses on 127.0.0.1: sudo: a password is required" in tried.json[-1]["said"]
    assert "Let ada run /bin/sh as root there without a password" in tried.json[-1]["said"]
    assert "sudo refuses" in nav("collect").err
    assert traces(linux_host) == ""


def test_hosts_behind_another_are_reached_through_it(nav: Program, linux_host: LinuxHost) -> None:
    """The host on the way is checked like any other; without its key nothing behind it is reached."""
    settings = nav.folder / "adzeguard.toml"
    text = settings.read_text()
    settings.write_text(
        text.replace('account = "keeper"', f'account = "keeper"\njump = "ada@127.0.0.1:{linux_host.port}"')
    )
    assert nav("hosts", "test", NAV).code == 0
    before = linux_host.run("sh", "-c", "ps ax | grep -c '[s]shd: ada'").stdout.strip()
    assert NAV not in nav("collect").err
    log = (linux_host.known_hosts.parent / "sshd.log").read_text()
    assert "Accepted publickey for ada" in log
    assert before == "0"
    settings.write_text(text.replace('account = "keeper"', 'account = "keeper"\njump = "ada@127.0.0.1:1"'))
    assert "127.0.0.1:1 cannot be reached" in nav("hosts", "test", NAV, "--format", "json").json[-1]["said"]


def test_the_keys_of_an_agent_are_used_where_none_is_named(nav: Program, linux_host: LinuxHost) -> None:
    """With the key in an agent the host lets us in; without key and agent it says what to do."""
    settings = nav.folder / "adzeguard.toml"
    settings.write_text("\n".join(line for line in settings.read_text().split("\n") if not line.startswith("key = ")))
    nav.environment.pop("SSH_AUTH_SOCK", None)
    without = nav("hosts", "test", NAV, "--format", "json").json[-1]["said"]
    assert "refuses keeper" in without
    assert "start an agent" in without
    socket = str(linux_host.known_hosts.parent / "agent")
    agent = subprocess.Popen(["ssh-agent", "-D", "-a", socket], stdout=subprocess.DEVNULL)
    try:
        nav.environment["SSH_AUTH_SOCK"] = socket
        for _ in range(1000):
            added = subprocess.run(
                ["ssh-add", str(linux_host.key)], env=nav.environment, capture_output=True, check=False
            )
            if added.returncode == 0:
                break
        assert nav("hosts", "test", NAV).code == 0
    finally:
        agent.kill()
        agent.wait()


def seen(program: Program) -> set[tuple[str, str]]:
    """Whom the Linux host saw, and how, as the program tells it after it was read again."""
    assert program("collect").code == 4
    rows = program("logons", "--on", NAV, "--format", "json").json
    return {(row["account"], row["way"]) for row in rows if row["told_by"] == "the host"}


def test_who_works_on_the_host_is_seen_with_how_they_came(nav: Program, linux_host: LinuxHost) -> None:
    """A session by key leaves nothing, one of unknown origin and a ticket cache do; all end when they are gone."""
    assert seen(nav) == set()
    now = linux_host.run("date", "+%Y-%m-%dT%H:%M:%S%:z").stdout.strip()
    log = f"{now} nav-01 sshd[7]: Accepted %s for LOWMERE\\\\%s from 127.0.0.1 port 5 ssh2"
    lines = "\n".join((log % ("publickey", "orla.fenn"), log % ("password", "orla.fenn; rm -rf /"), "Accepted"))
    linux_host.run("sh", "-c", "cat > /var/log/auth.log", given=lines + "\n")
    begun = ["setsid runuser -u 'LOWMERE\\orla.fenn' -- sleep 600 > /dev/null 2>&1 < /dev/null & echo $!"]
    begun += ["setsid runuser -u 'LOWMERE\\roan.pell' -- sleep 600 > /dev/null 2>&1 < /dev/null & echo $!"]
    try:
        for command in begun:
            assert linux_host.run("sh", "-c", command).returncode == 0
        assert seen(nav) == {(ORLA, "key"), (ROAN, "session")}
        # Whoever makes thousands of caches hides nobody by them, and a link is none.
        made = "touch $(seq -f /tmp/krb5cc_%g 1 5000); chown 20001 /tmp/krb5cc_*; ln -s /etc/passwd /tmp/krb5cc_0"
        linux_host.run("sh", "-c", made)
        assert seen(nav) == {(ORLA, "key"), (ORLA, "session"), (ORLA, "ticket-kept"), (ROAN, "session")}
    finally:
        linux_host.run("pkill", "-f", "sleep 600")
        linux_host.run("sh", "-c", "rm -f /tmp/krb5cc_*")
    assert seen(nav) == {(ORLA, "key")}
    linux_host.run("rm", "-f", "/var/log/auth.log")
    assert seen(nav) == set()
