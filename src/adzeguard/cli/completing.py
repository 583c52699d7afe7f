"""Completion of names while somebody types them, from what was collected."""

import os
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, TypeVar

import click
from click.shell_completion import CompletionItem

from adzeguard.cli.opening import looking

if TYPE_CHECKING:
    from adzeguard.settings.settings import Settings

T = TypeVar("T")

Complete = Callable[[click.Context, click.Parameter, str], list[CompletionItem]]
_SHOWN = 40
_ESCAPED_IN = {"": " \\'\"()&;|<>*?[]{}$`!#~", '"': '"\\$`', "'": ""}
"""What bash takes for more than itself, by the quote that the word stands in."""


def names(*kinds: str) -> Complete:
    """Return a completion by names of objects of these kinds ("user", "group", "computer"), or of any."""

    def complete(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
        from adzeguard.core.estate.principal import Kind
        from adzeguard.workspace.typed import names_beginning

        wanted = frozenset(Kind[kind.upper()] for kind in kinds)
        domain, backslash, part = typed.rpartition("\\")
        found = _asked(lambda: names_beginning(looking(_folder(ctx)), part, wanted, _SHOWN))
        return [CompletionItem(_for_shell(domain + backslash + name), help=kind.label) for name, kind in found]

    return complete


def containers(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
    """Complete OUs by their names, with or without "OU=" in front."""
    from adzeguard.workspace.typed import ou_names

    wanted = typed.casefold()
    shown = _asked(lambda: ou_names(looking(_folder(ctx))))
    fitting = [dn for dn in shown if dn.casefold().startswith((wanted, f"ou={wanted}"))]
    return [CompletionItem(_for_shell(dn)) for dn in fitting[:_SHOWN]]


def enactments(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
    """Complete enactments by their names, the latest first."""
    from adzeguard.workspace.typed import enactments_beginning

    found = _asked(lambda: enactments_beginning(looking(_folder(ctx)), typed, _SHOWN))
    return [CompletionItem(_for_shell(name), help=words) for name, words in found]


def rule_ids(ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
    """Complete the ids of rules, as they stand in the charter's files."""
    from adzeguard.settings.written_ids import written_ids

    found = _asked(lambda: written_ids(_settings(ctx).charter_folder))
    return [CompletionItem(_for_shell(one)) for one in found if one.startswith(typed)][:_SHOWN]


def duties(_ctx: click.Context, _param: click.Parameter, typed: str) -> list[CompletionItem]:
    """Complete the duties that come with the tool, each with what it lets one do."""
    from adzeguard.core.rights.duties import standard_duties
    from adzeguard.directory.schema import standard_schema

    found = standard_duties(standard_schema()).values()
    return [CompletionItem(one.name, help=f"may {one.words}") for one in found if one.name.startswith(typed)]


def _asked(ask: Callable[[], list[T]]) -> list[T]:
    """Return what is found; a half-typed line is no place for errors."""
    from adzeguard.core.errors import AdzeguardError

    try:
        return ask()
    except AdzeguardError:
        return []


def _settings(ctx: click.Context) -> "Settings":
    return looking(_folder(ctx)).settings


def _folder(ctx: click.Context) -> Path | None:
    given = ctx.params.get("folder")
    return Path(given) if given else None


def _for_shell(name: str) -> str:
    """Bash puts what it is given into the line as it is; the other shells quote it themselves.

    The script for bash reads each name with backslashes taken as escapes, so that one to be kept is written twice.
    """
    if not os.environ.get("_ADZEGUARD_COMPLETE", "").startswith("bash"):
        return name
    escaped = _ESCAPED_IN[_open_quote(os.environ.get("COMP_WORDS", ""))]
    return "".join(f"\\\\{c}" if c in escaped else "\\\\" if c == "\\" else c for c in name)


def _open_quote(line: str) -> str:
    """Return the quote that a line leaves open, which bash keeps in front of what it puts in; empty without one."""
    quote, escaped = "", False
    for c in line:
        if escaped:
            escaped = False
        elif c == "\\" and quote != "'":
            escaped = True
        elif c == quote:
            quote = ""
        elif not quote and c in "'\"":
            quote = c
    return quote
