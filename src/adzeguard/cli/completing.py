"""Completion of names while somebody types them, from what was collected."""

import os
from collections.abc import Callable
from pathlib import Path

import click
from click.shell_completion import CompletionItem

Complete = Callable[[click.Context, click.Parameter, str], list[CompletionItem]]
_SHOWN = 40
_ASKED = 400
_ESCAPED_IN_BASH = " \\'\"()&;|<>*?[]{}$`!#~"


def names(*kinds: str) -> Complete:
    """Return a completion by names of objects of these kinds ("user", "group", "computer"), or of any."""

    def complete(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
        from adzeguard.core.estate.principal import Kind

        wanted = {Kind[kind.upper()] for kind in kinds}
        domain, backslash, part = typed.rpartition("\\")
        offers = [
            (domain + backslash + name, label)
            for name, kind, label in _found(ctx, part)
            if name.casefold().startswith(part.casefold()) and (not wanted or kind in wanted)
        ]
        return [CompletionItem(_for_shell(name), help=label) for name, label in offers[:_SHOWN]]

    return complete


def containers(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
    """Complete OUs by their names, with or without "OU=" in front."""
    from adzeguard.cli.desk import Desk
    from adzeguard.core.errors import AdzeguardError
    from adzeguard.core.estate.places import short_dn
    from adzeguard.core.estate.principal import Kind

    try:
        estate = Desk(_workspace(ctx)).estate
        ous = estate.catalogue.principals(estate.catalogue.of_kind(Kind.OU).tolist()).values()
        shown = sorted(short_dn(estate, ou.dn) for ou in ous)
    except AdzeguardError:  # a half-typed line is no place for errors
        return []
    wanted = typed.casefold()
    fitting = [dn for dn in shown if dn.casefold().startswith((wanted, f"ou={wanted}"))]
    return [CompletionItem(_for_shell(dn)) for dn in fitting[:_SHOWN]]


def _found(ctx: click.Context, part: str) -> list[tuple[str, int, str]]:
    from adzeguard.cli.desk import Desk
    from adzeguard.core.errors import AdzeguardError

    try:
        catalogue = Desk(_workspace(ctx)).estate.catalogue
        ids = catalogue.containing(part, _ASKED)
        offers = catalogue.principals(ids)
    except AdzeguardError:  # a half-typed line is no place for errors
        return []
    return [(offers[i].name, offers[i].kind, offers[i].kind.label) for i in ids if i in offers]


def _workspace(ctx: click.Context) -> Path | None:
    given = ctx.params.get("workspace")
    return Path(given) if given else None


def _for_shell(name: str) -> str:
    """Bash puts what it is given into the line as it is; the other shells quote it themselves.

    The script for bash reads each name with backslashes taken as escapes, so that one to be kept is written twice.
    """
    if not os.environ.get("_ADZEGUARD_COMPLETE", "").startswith("bash"):
        return name
    return "".join(f"\\\\{c}" if c in _ESCAPED_IN_BASH else c for c in name)
