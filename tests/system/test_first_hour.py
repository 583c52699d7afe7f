"""Nineteen jobs of a first hour, as somebody types them who knows the README and the help: wrong first tries too."""

import re
import shlex

import click
import pytest

from adzeguard.cli.main import commands
from tests.program import Program

TYPED = r"""
# connect
init work --ldif lowmere.ldif
collect --workspace work
--workspace work status
status
# help
help who
help group add
help --all
who --help
version
help whoo
# who is privileged
who 'Domain Admins'
members Tellers
why orla.fenn 'Domain Admins'
groups
who admins
# who runs a host
who KIOSK-07
who --on KIOSK-07
who --host KIOSK-07
why orla.fenn --on KIOSK-07
admins
doors
# what does somebody have
show isolde.varn.adm
doors isolde.varn.adm
user orla.fenn
show orla.fen
find fenn
# put into a group
add orla.fenn 'First Aiders'
group add orla.fenn 'First Aiders'
group add 'First Aiders' orla.fenn
group add 'First Aiders' orla.fenn --yes
group add 'Radio Watch' orla.fen --yes
# close a door
local remove CONSOLE-03 'Domain Users'
group remove administrators 'Domain Users' --on CONSOLE-03 --yes
# write a rule
rule add
charter add
charter add 'Radio Watch'
charter add 'Radio Watch' --include orla.fenn --yes
charter add --under 'Ticket Kiosks' --only administrator
charter lint
charter show
rules
# put right
check
audit
checks
propose
plan
propose --host KIOSK-07
enact --dry-run
enact --yes
apply
# take back
undo
group add 'Radio Watch' orla.fenn --yes
undo --last --yes
journal
journal list
log
# delegate
delegate 'Service Desk'
grant 'Service Desk' password-help --over OU=Quay
grant add 'Service Desk'
grant give 'Service Desk' password-help --over 'OU=Booking Office,OU=People' --yes
grant list
rights
# for a time
lease add orla.fenn 'First Aiders'
lease start orla.fenn 'First Aiders'
schedule
lease start orla.fenn 'First Aiders' --for 2h --yes
lease
lease end L1 --yes
# an incident
disable roan.pell
account disable roan.pell --yes
account expire roan.pell
history --by roan.pell
# move
move 'Domain Admins' OU=Quay
move 'Domain Admins' OU=Quay --yes
move ulla.beck Galley --yes
ou move ulla.beck
# owners
round
questions
answer Q1
questions answer Q1
questions show Q2
waivers
questions answer Q2 --leave-until tomorrow --why 'until then'
questions answer Q3 --Mend --why x --yes
# review
review
review start
review start --output reviews
review read reviews/R1.csv
review propose R1
review status
# mail
mail
tell
questions try
settings check
config
settings
# who did it
trail import trail.jsonl
history 'Domain Admins'
events
history 'Domain Admin'
timeline 'Domain Admins'
# for an auditor
report
report privileged --output p.csv
export
report all --format pdf
report hosts --output h.doc
"""
JOBS = {
    part.partition("\n")[0]: part.splitlines()[1:]
    for part in re.split(r"^# ", TYPED, flags=re.MULTILINE)
    if part.strip()
}
GOOD = (0, 3, 4)


def is_command(line: str) -> bool:
    """Whether there is a command that begins so."""
    at: click.Command | None = commands
    for word in line.split()[:3]:
        if not isinstance(at, click.Group) or not re.fullmatch(r"[a-z][a-z-]*", word):
            return True
        at = at.get_command(click.Context(at), word)
        if at is None:
            return False
    return True


@pytest.mark.parametrize("job", JOBS)
def test_each_line_works_or_says_the_one_that_does(demo: Program, job: str) -> None:
    """A wrong try ends with one line that names a command there is, or the name that was nearly typed."""
    assert len(JOBS) == 19
    for line in JOBS[job]:
        ran = demo(*shlex.split(line))
        if ran.code in GOOD:
            continue
        assert (ran.code in (1, 2), "Traceback" in ran.err) == (True, False), (line, ran.err)
        named = re.findall(r"\badzeguard ([^;,()|]+)", ran.err.partition("adzeguard: ")[2])
        options = re.findall(r"(?<![\w-])--[a-z-]+", ran.err)
        candidates = re.search(r"did you mean|this comes near|Write ", ran.err, re.IGNORECASE)
        assert named or options or candidates, (line, ran.err)
        assert all(is_command(one) for one in named), (line, ran.err)
