"""Drivers, our own and those that other packages bring by an entry point, and their keys in the settings."""

from collections.abc import Iterator, Mapping
from importlib import import_module
from pathlib import Path
from typing import TYPE_CHECKING, Final

from adzeguard.core.drivers import DriverKind, Settings
from adzeguard.core.errors import SettingsError
from adzeguard.core.wording import nearest
from adzeguard.settings.trust import ensure_ours

if TYPE_CHECKING:
    from importlib.metadata import EntryPoints

GROUPS: Final = {
    "directory": "adzeguard.directory",
    "hosts": "adzeguard.hosts",
    "tell": "adzeguard.tellers",
    "shares": "adzeguard.shares",
    "other-domains": "adzeguard.directory",
}
"""The entry points of the drivers for each table of the settings."""
OURS: Final = {
    "adzeguard.directory": {"ldif": "adzeguard.directory.ldif_file", "ldap": "adzeguard.directory.ldap"},
    "adzeguard.hosts": {
        "standin": "adzeguard.hosts.standin",
        "local": "adzeguard.hosts.linux.local",
        "ssh": "adzeguard.hosts.linux.ssh",
        "remote-sam": "adzeguard.hosts.remote_sam.driver",
    },
    "adzeguard.tellers": {
        "mail": "adzeguard.tellers.mail",
        "lines": "adzeguard.tellers.lines",
        "webhook": "adzeguard.tellers.webhook",
    },
    "adzeguard.shares": {
        "standin-shares": "adzeguard.shares.standin",
        "mounted": "adzeguard.shares.mounted",
        "smb": "adzeguard.shares.smb",
    },
}
"""The drivers of this package, by their entry points and names: each is the `DRIVER` of a module.

A driver of another package cannot take the place of one of these, and they are found without reading what is installed.
"""
EXTRAS: Final = {"ssh": "ssh", "remote-sam": "remote-sam", "smb": "shares"}
"""The extras of this package that drivers of its own need."""


def find_driver(drivers: str, name: str, table: str = "") -> DriverKind:
    """Return the kind of driver that a table's `kind` names; `SettingsError` where no package brings it."""
    module = OURS[GROUPS[drivers]].get(name)
    try:
        kind: DriverKind = import_module(module).DRIVER if module else _brought(drivers, name, table)
    except (ImportError, AttributeError) as error:
        needs = f"pip install 'adzeguard[{EXTRAS[name]}]'" if name in EXTRAS else "Install what it needs"
        raise SettingsError(f"the driver '{name}' cannot be loaded: {error}", needs) from error
    return kind


def _brought(drivers: str, name: str, table: str) -> DriverKind:
    """Return the kind of driver that another package brings under this name."""
    known = _entry_points(drivers)
    chosen = next(iter(known.select(name=name)), None)
    if chosen is None:
        near = nearest(name, [*OURS[GROUPS[drivers]], *known.names])
        hint = f"Did you mean {near}?" if near else "Install the package that brings it"
        raise SettingsError(f"adzeguard.toml: [{table or drivers}] kind: there is no driver '{name}'", hint)
    kind = chosen.load()
    if not isinstance(kind, DriverKind):
        raise SettingsError(f"'{name}' of {chosen.value} is no driver", "Ask the makers of that package")
    return kind


def _entry_points(drivers: str) -> "EntryPoints":
    from importlib.metadata import entry_points  # reads what is installed, which takes longer than a look

    return entry_points(group=GROUPS[drivers])


def all_drivers(drivers: str) -> Iterator[tuple[str, DriverKind | str]]:
    """Yield every driver by its name, or why it cannot be used here, such as a package that is not installed."""
    for name in sorted({*OURS[GROUPS[drivers]], *_entry_points(drivers).names}):
        try:
            yield name, find_driver(drivers, name)
        except SettingsError as error:
            yield name, str(error)


def checked_settings(kind: DriverKind, table: str, given: Mapping[str, str], folder: Path) -> Settings:
    """Return a driver's settings with whole paths; `SettingsError` for a key that it does not know, or lacks."""
    known = {setting.key: setting for setting in kind.settings}
    for key in given.keys() - known.keys() - {"kind"}:
        near = nearest(key, known, 0.4)
        hint = f", did you mean {near}?" if near else f"; {kind.name} knows {', '.join(known)}"
        raise SettingsError(f"adzeguard.toml: [{table}] has no key {key}{hint}")
    for setting in kind.settings:
        if setting.needed and not given.get(setting.key):
            raise SettingsError(f"adzeguard.toml: [{table}] {setting.key} is missing", setting.words)
    for setting in kind.settings:
        if setting.is_decisive and given.get(setting.key):
            ensure_ours(folder / given[setting.key])
    return {
        key: str((folder / value).resolve()) if known[key].is_path else value
        for key, value in given.items()
        if key in known
    }
