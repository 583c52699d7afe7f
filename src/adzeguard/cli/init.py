"""adzeguard init."""

import os
import shlex
import sys
from collections import Counter
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

import click

from adzeguard.account_names import account_name
from adzeguard.cli.exits import Exit
from adzeguard.cli.headed import HeadedCommand
from adzeguard.cli.options import example
from adzeguard.cli.output import put, say
from adzeguard.core.errors import UsageError
from adzeguard.settings.settings import ONLY_SOURCE, PARTS, HostsSettings, make_workspace, settings_text

if TYPE_CHECKING:
    from adzeguard.hosts.port import Step

_FIRST_CHARTER = """\
# The charter says who should be where. Every rule is one item of this list.
# Look it over with: adzeguard charter lint
charter: 1
rules: []
"""


@click.command(
    "init", cls=HeadedCommand, epilog=example("adzeguard init lowmere --ldif lowmere.ldif --standin-hosts hosts")
)
@click.argument("folder", type=click.Path(path_type=Path), metavar="DIR")
@click.option("--ldif", type=click.Path(path_type=Path), metavar="FILE", help="An LDIF file is the directory.")
@click.option("--ldap", metavar="URL", help="A directory server: ldaps://host[:port].")
@click.option("--bind-as", metavar="NAME", help=r"The name to bind with, like DOMAIN\name or name@domain.")
@click.option(
    "--password-file",
    type=click.Path(path_type=Path),
    metavar="F",
    help="A file with the password that only you can read.",
)
@click.option(
    "--sign-in", type=click.Choice(["password", "kerberos"]), help="How; kerberos takes the ticket that is there."
)
@click.option(
    "--keytab",
    type=click.Path(path_type=Path),
    metavar="F",
    help="With kerberos: a key table that only you can read, in place of the ticket that is there.",
)
@click.option(
    "--ca-file",
    type=click.Path(path_type=Path),
    metavar="F",
    help="The CA that signed the server's certificate.",
)
@click.option("--tls-name", metavar="N", help="The name in the server's certificate, where it is not that of the URL.")
@click.option("--start-tls", is_flag=True, help="Encrypt an ldap:// connection before anything is sent.")
@click.option("--plain-ldap", is_flag=True, help="Send the password unencrypted. Only on a network you trust.")
@click.option(
    "--standin-hosts",
    type=click.Path(path_type=Path),
    metavar="FOLDER",
    help="Simulated hosts, one JSON file each.",
)
@click.option(
    "--hosts",
    "host_sources",
    multiple=True,
    metavar="'DRIVER KEY=VALUE …'",
    help="How hosts are reached, as often as there are kinds of them; see: adzeguard hosts drivers.",
)
@click.option("--anyway", is_flag=True, help="Make the workspace though the directory cannot be read.")
def command(
    folder: Path,
    ldif: Path | None,
    ldap: str | None,
    bind_as: str | None,
    password_file: Path | None,
    sign_in: str | None,
    keytab: Path | None,
    ca_file: Path | None,
    tls_name: str | None,
    start_tls: bool,
    plain_ldap: bool,
    standin_hosts: Path | None,
    host_sources: tuple[str, ...],
    anyway: bool,
) -> int:
    """Connect to a directory, an LDIF file or a server, and make a workspace for it in DIR.

    The directory is tried first. If it cannot be read, nothing is written, so that you can try again; ends with 1 then.

    The password never stands on the command line or in the workspace. It comes from --password-file, from
    ADZEGUARD_PASSWORD (sent to ADZEGUARD_PASSWORD_FOR alone), from the keyring (service adzeguard), or from a prompt.
    """
    if ldif is None and ldap is None:
        ldif, ldap = _ask_for_directory()
    if ldif is not None and ldap is not None:
        raise UsageError("--ldif and --ldap exclude each other", "A workspace has one directory")
    if ldif is not None:
        directory = _file(ldif)
    elif sign_in == "kerberos" or keytab is not None:
        if tls_name or plain_ldap:
            raise UsageError(
                "by kerberos the server has no other name than that of the URL, and nothing goes unsealed",
                "Leave --tls-name and --plain-ldap out",
            )
        if keytab and (bind_as or password_file):
            raise UsageError("--keytab says itself who signs in", "Leave --bind-as and --password-file out")
        directory = _by_ticket(str(ldap), bind_as, password_file, keytab, ca_file, start_tls=start_tls)
    else:
        directory = _server(
            str(ldap), bind_as, password_file, ca_file, tls_name, start_tls=start_tls, plain_ldap=plain_ldap
        )
    if standin_hosts is not None:
        if not standin_hosts.is_dir():
            raise UsageError(
                f"there is no folder {standin_hosts}", "Name the folder of host files with --standin-hosts"
            )
        host_sources = (*host_sources, shlex.join(["standin", f"folder={standin_hosts}"]))
    hosts = list(_sources(host_sources))
    text = settings_text(directory, hosts, {"response": "tell"}, account_name(os.getuid()))
    return _made(folder, text, _tried(text), anyway=anyway)


def _made(folder: Path, text: str, steps: "list[Step]", *, anyway: bool) -> int:
    """Write the workspace if its directory can be read, and say what was found."""
    trouble = steps[0].trouble
    if trouble and not anyway:
        say(f"The directory cannot be read, and nothing was written: {trouble}")
        say("Change the options and try again; --anyway makes the workspace all the same.")
        return Exit.FAILED
    make_workspace(folder, text, _FIRST_CHARTER)
    put(f"Made the workspace {folder}.\n")
    if trouble:
        say(f"The directory cannot be read: {trouble}")
        put(f"Next: adzeguard settings check --workspace {shlex.quote(str(folder))}\n")
        return Exit.NOTHING_TO_REPORT
    put(f"Connected to {steps[0].said}.\n")
    for step in steps[1:]:
        if step.trouble:
            say(step.trouble)
    put(f"Next: adzeguard collect --workspace {shlex.quote(str(folder))}\n")
    return Exit.NOTHING_TO_REPORT


def _tried(text: str) -> "list[Step]":
    """Connect as these settings say, before there is a workspace that says so."""
    import tempfile

    from adzeguard.cli.opening import opened
    from adzeguard.settings.settings import FILE_NAME
    from adzeguard.workspace.connections import directory_tried

    with tempfile.TemporaryDirectory(prefix="adzeguard-init-") as folder:
        (Path(folder) / FILE_NAME).write_text(text, encoding="utf-8")
        workspace = opened(Path(folder))
        steps = list(directory_tried(workspace))
        workspace.close()
    return steps


def _sources(given: tuple[str, ...]) -> Iterator[HostsSettings]:
    """Yield the sources of hosts that were said, each checked by its driver; several are named after their driver."""
    from adzeguard.core.estate.fleet import FleetPart
    from adzeguard.settings.drivers import checked_settings, find_driver

    names: Counter[str] = Counter()
    for text in given:
        kind, *pairs = shlex.split(text) or [""]
        if not all("=" in pair for pair in pairs):
            raise UsageError(f"--hosts '{text}' is not of the form DRIVER KEY=VALUE …", "See: adzeguard hosts drivers")
        values = dict(pair.split("=", 1) for pair in pairs)
        part = {to: tuple(values.pop(key).split(";")) for key, to in PARTS.items() if key in values}
        settings = checked_settings(find_driver("hosts", kind), f"hosts.{kind}", values, Path.cwd())
        names[kind] += 1
        name = ONLY_SOURCE if len(given) == 1 else f"{kind}{names[kind] if names[kind] > 1 else ''}"
        yield HostsSettings(name, {"kind": kind, **settings}, FleetPart(**part))


def _file(ldif: Path) -> dict[str, str | bool]:
    if not ldif.is_file():
        raise UsageError(f"there is no file {ldif}", "Name an LDIF file with --ldif")
    return {"kind": "ldif", "file": str(ldif.resolve())}


def _ask_for_directory() -> tuple[Path | None, str | None]:
    if not sys.stdin.isatty():
        raise UsageError("no directory is named", "Give --ldif FILE, or --ldap URL --bind-as NAME")
    answer = click.prompt("The directory (an LDIF file, or ldaps://host)", err=True)
    return (None, answer) if "://" in answer else (Path(answer), None)


def _by_ticket(
    url: str,
    bind_as: str | None,
    password_file: Path | None,
    keytab: Path | None,
    ca_file: Path | None,
    *,
    start_tls: bool,
) -> dict[str, str | bool]:
    from adzeguard.directory.ldap_address import Address

    Address(url, start_tls=start_tls, sealed=True).check()
    directory: dict[str, str | bool] = {"kind": "ldap", "url": url, "sign_in": "kerberos"}
    directory |= ({"bind_as": bind_as} if bind_as else {}) | ({"start_tls": True} if start_tls else {})
    return directory | _files(password_file=password_file, keytab=keytab, ca_file=ca_file)


def _files(**paths: Path | None) -> dict[str, str | bool]:
    """Return the files that are named, whole; `UsageError` for one that is not there."""
    for key, path in paths.items():
        if path is not None and not path.is_file():
            raise UsageError(f"there is no file {path}", f"Name it with --{key.replace('_', '-')}")
    return {key: str(path.resolve()) for key, path in paths.items() if path is not None}


def _server(
    url: str,
    bind_as: str | None,
    password_file: Path | None,
    ca_file: Path | None,
    tls_name: str | None,
    *,
    start_tls: bool,
    plain_ldap: bool,
) -> dict[str, str | bool]:
    from adzeguard.directory.ldap_address import Address

    Address(url, start_tls=start_tls, plain=plain_ldap).check()
    if bind_as is None:
        if not sys.stdin.isatty():
            raise UsageError("--ldap needs --bind-as NAME", r"Give the name to bind with, like DOMAIN\name")
        bind_as = str(click.prompt(r"The name to bind with (DOMAIN\name)", err=True))
    directory: dict[str, str | bool] = {"kind": "ldap", "url": url, "bind_as": bind_as}
    directory |= _files(password_file=password_file, ca_file=ca_file)
    if tls_name:
        directory["tls_name"] = tls_name
    directory |= {key: True for key, given in (("start_tls", start_tls), ("plain_ldap", plain_ldap)) if given}
    if plain_ldap:
        click.echo("Warning: plain LDAP sends the password unencrypted", err=True)
    return directory
