"""adzeguard.toml: to what a workspace is connected, and what it holds dear."""

import json
import tomllib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final, Literal

from adzeguard.core.errors import SettingsError
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.limits import USUAL_LIMITS, Limits
from adzeguard.core.wording import nearest
from adzeguard.private_files import write_new

FILE_NAME: Final = "adzeguard.toml"
STATE_FOLDER: Final = ".adzeguard"
CHARTER_FOLDER: Final = "charter"
_LARGEST_FILE: Final = 1024 * 1024
_RESPONSES: Final = ("tell", "mend")
_FORMER_RESPONSES: Final = {"alert": "tell", "correct": "mend"}
"""What the responses were called in workspaces of the first version; those go on working."""
_OF_DRIVERS: Final = ("directory", "hosts")
"""Tables whose keys belong to the driver that `kind` names; see `drivers`."""
ONLY_SOURCE: Final = "hosts"
"""What the source is called that stands in [hosts] itself."""
PARTS: Final = {"under": "under", "named": "named", "except": "excepted", "system": "system"}
"""The keys of a table of hosts that are ours, and not its driver's."""
_KNOWN: Final = {
    "directory": (),
    "hosts": (),
    "store": ("url",),
    "cluster": ("ca_file", "certificate", "key"),
    "charter": ("response", "keepers", "privileged"),
    "checks": ("waiting_days", "unread_days"),
    "guards": ("removals", "hosts", "share", "operator"),
}


@dataclass(frozen=True)
class HostsSettings:
    """One source of hosts: its name, the settings of its driver with `kind`, and its part of the fleet."""

    name: str
    given: dict[str, str]
    part: FleetPart = field(default_factory=FleetPart)

    @property
    def table(self) -> str:
        """The table in which it stands."""
        return "hosts" if self.name == ONLY_SOURCE else f"hosts.{self.name}"


@dataclass(frozen=True)
class Workspace:
    """A folder with everything a command needs. `directory` and `hosts` are checked when their driver is opened."""

    folder: Path
    directory: dict[str, str]
    hosts: tuple[HostsSettings, ...] = ()
    response: Literal["tell", "mend"] = "tell"
    keepers: tuple[str, ...] = ()
    privileged: tuple[str, ...] = ()
    limits: Limits = USUAL_LIMITS
    store_url: str = ""
    """The database of a team; otherwise the store is a file of the workspace."""
    waiting_days: int = 14
    """How long a host may wait in a holding OU before `check` tells."""
    unread_days: int = 14
    """For how long a host may not answer before `check` tells."""
    cluster: dict[str, str] = field(default_factory=dict)
    """The files by which the workers of a cluster are trusted."""
    operator: str = ""
    """The directory account of whoever works here; otherwise the one that binds to the server."""

    @property
    def store_path(self) -> Path:
        """The store's file."""
        return self.folder / STATE_FOLDER / "store.db"

    @property
    def journal_head_path(self) -> Path:
        """The file that keeps where the journal ends."""
        return self.folder / STATE_FOLDER / "journal-head"

    @property
    def lock_path(self) -> Path:
        """The file that a process holds while it changes something."""
        return self.folder / STATE_FOLDER / "lock"

    @property
    def charter_folder(self) -> Path:
        """The folder of the charter's files."""
        return self.folder / CHARTER_FOLDER


def find_workspace(start: Path) -> Path:
    """Return the nearest folder, from `start` upwards, that holds the settings."""
    for folder in (start, *start.parents):
        if (folder / FILE_NAME).is_file():
            return folder
    raise SettingsError(
        f"{start} is not in a workspace", "Make one with adzeguard init, or name it with --workspace DIR"
    )


def read_workspace(folder: Path) -> Workspace:
    """Read the settings of a workspace; `SettingsError` says what is wrong with them."""
    path = folder / FILE_NAME
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise SettingsError(f"{path} is larger than 1 MiB")
        tree = tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise SettingsError(
            f"{folder} is not a workspace: it holds no {FILE_NAME}", "Make one: adzeguard init DIR"
        ) from error
    except (OSError, UnicodeDecodeError) as error:
        raise SettingsError(f"{path} cannot be read: {error}") from error
    except tomllib.TOMLDecodeError as error:
        raise SettingsError(f"{path}: {error}", "It must be TOML, as adzeguard init wrote it") from error
    _refuse_unknown(tree, path)
    directory, store = (_texts(tree.get(table, {}), table, path) for table in ("directory", "store"))
    if not directory.get("kind"):
        raise SettingsError(f"{path}: [directory] kind is missing", "It names the driver, such as ldif or ldap")
    charter, guards = tree.get("charter", {}), tree.get("guards", {})
    return Workspace(
        folder,
        directory,
        tuple(_host_sources(tree.get("hosts", {}), path)),
        _response(charter, path),
        _names(charter, "keepers", path),
        _names(charter, "privileged", path),
        _limits(guards, path),
        store.get("url", ""),
        _days(tree.get("checks", {}), "waiting_days", 14, path),
        _days(tree.get("checks", {}), "unread_days", 14, path),
        _texts(tree.get("cluster", {}), "cluster", path),
        str(guards.get("operator") or directory.get("bind_as", "")),
    )


def _response(charter: dict[str, Any], path: Path) -> Literal["tell", "mend"]:
    given = str(charter.get("response", "tell"))
    response = _FORMER_RESPONSES.get(given, given)
    if response not in _RESPONSES:
        raise SettingsError(f"{path}: [charter] response must be 'tell' or 'mend', not '{given}'")
    return "mend" if response == "mend" else "tell"


def _refuse_unknown(tree: dict[str, Any], path: Path) -> None:
    for table, content in tree.items():
        if table not in _KNOWN or not isinstance(content, dict):
            raise SettingsError(f"{path}: there is no [{table}]{_near(table, _KNOWN)}")
        for key in content if table not in _OF_DRIVERS else ():
            if key not in _KNOWN[table]:
                raise SettingsError(f"{path}: [{table}] has no key {key}{_near(key, _KNOWN[table])}")


def _near(word: str, known: Iterable[str]) -> str:
    near = nearest(word, known, 0.4)
    return f", did you mean {near}?" if near else f"; known are {', '.join(sorted(known))}"


def _host_sources(content: dict[str, Any], path: Path) -> Iterator[HostsSettings]:
    """Yield the sources of hosts in their order: one in [hosts], or one in each [hosts.NAME]."""
    tables = {name: value for name, value in content.items() if isinstance(value, dict)}
    if tables and len(tables) < len(content):
        key = next(key for key in content if key not in tables)
        raise SettingsError(
            f"{path}: [hosts] has both the key {key} and the source {next(iter(tables))}",
            f"Move its keys into a table of their own, such as [hosts.others], below [hosts.{next(iter(tables))}]",
        )
    for name, keys in (tables or ({ONLY_SOURCE: content} if content else {})).items():
        table = "hosts" if not tables else f"hosts.{name}"
        if not name.replace("-", "").isalnum():
            raise SettingsError(f"{path}: '{name}' cannot be the name of a source", "Use letters, digits and dashes")
        part = {to: _patterns(keys[key], table, key, path) for key, to in PARTS.items() if key in keys}
        given = _texts({key: value for key, value in keys.items() if key not in PARTS}, table, path)
        if not given.get("kind"):
            raise SettingsError(f"{path}: [{table}] kind is missing", "It names the driver, such as standin")
        yield HostsSettings(name, given, FleetPart(**part))


def _patterns(value: Any, table: str, key: str, path: Path) -> tuple[str, ...]:
    texts = [value] if isinstance(value, str) else value
    if not isinstance(texts, list) or not texts or not all(isinstance(text, str) and text for text in texts):
        raise SettingsError(f"{path}: [{table}] {key} must be a text or a list of texts, each saying something")
    return tuple(texts)


def _texts(content: dict[str, Any], table: str, path: Path) -> dict[str, str]:
    texts = {}
    for key, value in content.items():
        if isinstance(value, bool):
            texts[key] = "true" if value else "false"
        elif isinstance(value, str | int | float):
            texts[key] = str(value)
        else:
            raise SettingsError(f"{path}: [{table}] {key} must be a text, a number, true or false")
    return texts


def _limits(guards: dict[str, Any], path: Path) -> Limits:
    for key in ("removals", "hosts", "share"):
        value = guards.get(key, 0)
        number = isinstance(value, int | float) if key == "share" else isinstance(value, int)
        if isinstance(value, bool) or not number or value < 0:
            raise SettingsError(f"{path}: [guards] {key} must be a number, not {value!r}")
    return Limits(**{key: guards[key] for key in ("removals", "hosts", "share") if key in guards})


def _days(checks: dict[str, Any], key: str, usual: int, path: Path) -> int:
    value = checks.get(key, usual)
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise SettingsError(f"{path}: [checks] {key} must be a number of days, not {value!r}")
    return value


def _names(charter: dict[str, Any], key: str, path: Path) -> tuple[str, ...]:
    names = charter.get(key, [])
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise SettingsError(f"{path}: [charter] {key} must be a list of names")
    return tuple(names)


def settings_text(directory: dict[str, str | bool], hosts: Sequence[HostsSettings], charter: dict[str, Any]) -> str:
    """Return the text of adzeguard.toml."""
    parts = ["# What this workspace is connected to. Passwords never stand here: see the guide.\n"]
    sources = [(source.table, _written(source)) for source in hosts]
    for table, content in (("directory", directory), *sources, ("charter", charter)):
        if content:
            # A JSON string without control characters is a TOML basic string, and so are lists and booleans.
            lines = [f"{key} = {json.dumps(value, ensure_ascii=False)}" for key, value in content.items()]
            parts.append(f"[{table}]\n" + "\n".join(lines) + "\n")
    return "\n".join(parts)


def _written(source: HostsSettings) -> dict[str, Any]:
    part = {key: list(getattr(source.part, to)) for key, to in PARTS.items()}
    return {**source.given, **{key: texts for key, texts in part.items() if texts}}


def make_workspace(folder: Path, text: str, first_charter: str) -> None:
    """Write the settings and an empty charter; `SettingsError` where a workspace stands already."""
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        if (folder / FILE_NAME).exists():
            raise FileExistsError  # noqa: TRY301 - the same end as where somebody else is faster
        (folder / CHARTER_FOLDER).mkdir(mode=0o700, exist_ok=True)
        if not list((folder / CHARTER_FOLDER).glob("*.y*ml")):
            write_new(folder / CHARTER_FOLDER / "charter.yaml", first_charter)
        write_new(folder / FILE_NAME, text)  # last, since with it the folder is a workspace
    except FileExistsError as error:
        raise SettingsError(
            f"{folder} is a workspace already", "Change its adzeguard.toml, or choose another folder"
        ) from error
    except OSError as error:
        raise SettingsError(f"{folder} cannot be made a workspace: {error.strerror}") from error
