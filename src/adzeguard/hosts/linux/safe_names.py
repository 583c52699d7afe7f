"""Names that can be written into files of PAM and sudo; others are refused, since no quoting there covers them all."""

import re
from typing import Final

from adzeguard.core.errors import HostRefusedError
from adzeguard.core.estate.elevation import NO_ARGUMENTS

_ACCESS: Final = re.compile(r"[\w$.\\-][\w$. \\-]*(?<![ \\])", re.ASCII)
"""What access.conf(5) takes as it is between bars and commas: `@` would make it a netgroup or a host, `(` a group."""
_KEYWORDS: Final = frozenset({"all", "local", "except", "none"})
_PATH: Final = re.compile(r"/[\w./+@~ -]*[\w+~@-]", re.ASCII)
_LIKE_AN_ALIAS: Final = re.compile(r"[A-Z][A-Z0-9_]*")
_PLAIN: Final = re.compile(r"[A-Za-z0-9_.-]")


def access_name(name: str) -> str:
    """Return a name as access.conf(5) takes it; `HostRefusedError` for one that would mean something else there."""
    # ALL, LOCAL and EXCEPT are words of access.conf(5): a person of that name would stand for everybody.
    if not _ACCESS.fullmatch(name) or name.casefold() in _KEYWORDS or name.startswith("-"):
        raise HostRefusedError(f"the name {name!r} cannot be written into an access file", "Give it another name")
    return name


def sudoers_name(name: str) -> str:
    r"""Return a name as sudoers(5) takes it, what is not plain as \\xHH; `HostRefusedError` for one that is no text."""
    # `#` begins a number, `%` a group, `+` a netgroup, `!` a negation in sudoers(5).
    if not name.isascii() or not name.isprintable() or not name or name.startswith(("#", "%", "+", "!", "-")):
        raise HostRefusedError(f"the name {name!r} cannot be written into a sudoers file", "Give it another name")
    written = [c if _PLAIN.fullmatch(c) else f"\\x{ord(c):02x}" for c in name]
    if _LIKE_AN_ALIAS.fullmatch(name):
        # In capitals it would be an alias, and ALL would be everybody; no alias has an escape in it.
        written[0] = f"\\x{ord(name[0]):02x}"
    return "".join(written)


def sudoers_path(path: str) -> str:
    """Return a path of a program as sudoers(5) takes it; `HostRefusedError` for one with wildcards or worse."""
    if not _PATH.fullmatch(path) or "//" in path or "/../" in path or "/./" in path:
        raise HostRefusedError(f"the program {path!r} cannot be written into a sudoers file", "Move it to a plain path")
    return path.replace(" ", "\\ ")


def sudoers_arguments(arguments: str) -> str:
    """Return arguments as sudoers(5) takes them: each as it is, nothing in them a pattern."""
    if arguments == NO_ARGUMENTS:
        return arguments
    if not arguments.isascii() or not arguments.isprintable() or arguments != arguments.strip():
        raise HostRefusedError(f"the arguments {arguments!r} cannot be written into a sudoers file")
    if re.search(r'["\'^$\\]', arguments):
        # A backslash is read twice, by sudo's reader and as a pattern: what was meant would not match (seen on 1.9.13).
        raise HostRefusedError(f"the arguments {arguments!r} hold quotes or signs of patterns, which sudo would read")
    return re.sub(r"([,:=*?\[\]!#])", r"\\\1", arguments)
