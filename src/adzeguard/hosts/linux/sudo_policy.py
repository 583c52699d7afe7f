"""Who is made an administrator by lines of sudo, as sudo's own reader of its files says (cvtsudoers(1), form json)."""

import json
from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final

from adzeguard.core.values import dataclass

SHELLS: Final = frozenset({"sh", "bash", "dash", "ash", "zsh", "ksh", "csh", "tcsh", "fish", "busybox", "su", "sudo"})
"""Programs that are a shell or give one: who may run such a one as root may do everything."""
ALL: Final = "ALL"
_KEYS: Final = {
    "username": (False, False),
    "userid": (False, True),
    "usergroup": (True, False),
    "usergid": (True, True),
}
"""How a line names somebody: whether as a group, and whether by number."""
_ROOT: Final = ("root", "#0", ALL)


@dataclass(frozen=True, slots=True)
class Holder:
    """Whom a line names: a name or a number, of an account or of a group; `ALL` is everybody."""

    name: str
    is_group: bool = False
    is_number: bool = False


def made_administrators(policy: bytes, host: str) -> list[Holder]:
    """Return whom the lines of sudo let do anything as root on a host, in order; `ValueError` for what is no policy.

    A later line for the same holder that forbids everything takes it back, as sudo goes by the last line that fits. An
    alias is written out already. A host that is told by address, netgroup or pattern is taken for this one: to show
    one administrator too many is the safer mistake.
    """
    read = json.loads(policy)
    specs = read.get("User_Specs", []) if isinstance(read, dict) else None
    if not isinstance(specs, list):
        raise ValueError("no policy of sudo")  # noqa: TRY004 - what json raises is a ValueError too
    found: dict[Holder, None] = {}
    try:
        for spec in specs:
            if not _is_for(spec.get("Host_List", []), host):
                continue
            for commands in spec["Cmnd_Specs"]:
                may, may_not = _gives_all(commands)
                for holder in _holders(spec["User_List"]):
                    if may:
                        found[holder] = None
                    elif may_not:
                        found.pop(holder, None)
    except (AttributeError, KeyError, TypeError) as error:
        raise ValueError("no policy of sudo") from error
    return list(found)


def _is_for(hosts: Iterable[Mapping[str, Any]], host: str) -> bool:
    """Tell whether a line is for a host: of a list the last that fits it decides (sudoers(5))."""
    short, found = host.partition(".")[0].casefold(), False
    for one in hosts:
        name = str(one.get("hostname", ""))
        exactly = name == ALL or (bool(name) and name.partition(".")[0].casefold() == short)
        if one.get("negated"):
            found = found and not exactly
        else:
            found = found or exactly or not name or bool(set(name) & set("*?["))
    return found


def _gives_all(commands: Mapping[str, Any]) -> tuple[bool, bool]:
    """Return whether everything may be run as root by these commands, and whether everything is forbidden."""
    run_as = commands.get("runasusers")
    as_root = run_as is None or any(
        not one.get("negated") and (one.get("username") in _ROOT or one.get("userid") == 0) for one in run_as
    )
    may = may_not = False
    for command in commands["Commands"]:
        path = str(command.get("command", ""))
        everything = path == ALL or path.partition(" ")[0].rpartition("/")[2] in SHELLS
        if everything and command.get("negated"):
            may_not = may_not or path == ALL
        elif everything:
            may = True
    return as_root and may, may_not


def _holders(users: Iterable[Mapping[str, Any]]) -> Iterator[Holder]:
    for user in users:
        for key, (is_group, is_number) in _KEYS.items():
            if key in user and not user.get("negated"):
                yield Holder(str(user[key]), is_group, is_number)
