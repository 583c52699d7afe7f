"""adzeguard.toml: to what a workspace is connected, and what it holds dear."""

import difflib
import json
import os
import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

from adzeguard.core.change.guards.limits import Limits
from adzeguard.core.charter.model import Response
from adzeguard.core.errors import SettingsError

FILE_NAME: Final = "adzeguard.toml"
STATE_FOLDER: Final = ".adzeguard"
CHARTER_FOLDER: Final = "charter"
_LARGEST_FILE: Final = 1024 * 1024
_KNOWN: Final = {
    "directory": {
        "kind", "file", "domain", "url", "bind_as", "password_file", "ca_file", "tls_name", "start_tls",
        "plain_ldap", "timeout",
    },
    "hosts": {"kind", "folder"},
    "charter": {"response", "keepers", "privileged"},
    "guards": {"removals", "hosts", "share", "operator"},
}  # fmt: skip
_PATHS: Final = {
    ("directory", "file"),
    ("directory", "password_file"),
    ("directory", "ca_file"),
    ("hosts", "folder"),
}


_USUAL_LIMITS: Final = Limits()


@dataclass(frozen=True)
class Workspace:
    """A folder with everything a command needs. Paths in `directory` and `hosts` are absolute."""

    folder: Path
    directory: dict[str, str]
    hosts: dict[str, str] = field(default_factory=dict)
    response: Response = "tell"
    keepers: tuple[str, ...] = ()
    privileged: tuple[str, ...] = ()
    limits: Limits = _USUAL_LIMITS
    operator: str = ""
    """The directory account of whoever works here; otherwise the one that binds to the server."""

    @property
    def store_path(self) -> Path:
        """The store's file."""
        return self.folder / STATE_FOLDER / "store.db"

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
    directory = _texts(tree, "directory", path, folder)
    if directory.get("kind") not in ("ldif", "ldap"):
        raise SettingsError(f"{path}: [directory] kind must be 'ldif' or 'ldap'")
    needed = "file" if directory["kind"] == "ldif" else "url"
    if not directory.get(needed):
        raise SettingsError(f"{path}: [directory] {needed} is missing")
    hosts = _texts(tree, "hosts", path, folder)
    if hosts and (hosts.get("kind") != "standin" or not hosts.get("folder")):
        raise SettingsError(f"{path}: [hosts] kind must be 'standin', and folder name the host files")
    charter = tree.get("charter", {})
    response = charter.get("response", "tell")
    if response not in ("tell", "mend"):
        raise SettingsError(f"{path}: [charter] response must be 'tell' or 'mend', not '{response}'")
    guards = tree.get("guards", {})
    return Workspace(
        folder,
        directory,
        hosts,
        response,
        _names(charter, "keepers", path),
        _names(charter, "privileged", path),
        _limits(guards, path),
        str(guards.get("operator") or directory.get("bind_as", "")),
    )


def _refuse_unknown(tree: dict[str, Any], path: Path) -> None:
    for table, content in tree.items():
        if table not in _KNOWN or not isinstance(content, dict):
            raise SettingsError(f"{path}: there is no [{table}]{_near(table, _KNOWN)}")
        for key in content:
            if key not in _KNOWN[table]:
                raise SettingsError(f"{path}: [{table}] has no key {key}{_near(key, _KNOWN[table])}")


def _near(word: str, known: Any) -> str:
    near = difflib.get_close_matches(word, list(known), 1, 0.4)
    return f", did you mean {near[0]}?" if near else f"; known are {', '.join(sorted(known))}"


def _texts(tree: dict[str, Any], table: str, path: Path, folder: Path) -> dict[str, str]:
    found = {}
    for key, value in tree.get(table, {}).items():
        if isinstance(value, bool):
            found[key] = "true" if value else "false"
        elif isinstance(value, str | int | float):
            found[key] = str((folder / str(value)).resolve()) if (table, key) in _PATHS else str(value)
        else:
            raise SettingsError(f"{path}: [{table}] {key} must be a text, a number, true or false")
    return found


def _limits(guards: dict[str, Any], path: Path) -> Limits:
    for key in ("removals", "hosts", "share"):
        value = guards.get(key, 0)
        number = isinstance(value, int | float) if key == "share" else isinstance(value, int)
        if isinstance(value, bool) or not number or value < 0:
            raise SettingsError(f"{path}: [guards] {key} must be a number, not {value!r}")
    return Limits(**{key: guards[key] for key in ("removals", "hosts", "share") if key in guards})


def _names(charter: dict[str, Any], key: str, path: Path) -> tuple[str, ...]:
    names = charter.get(key, [])
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise SettingsError(f"{path}: [charter] {key} must be a list of names")
    return tuple(names)


def settings_text(directory: dict[str, str | bool], hosts: dict[str, str], charter: dict[str, Any]) -> str:
    """Return the text of adzeguard.toml."""
    parts = ["# What this workspace is connected to. Passwords never stand here: see the guide.\n"]
    for table, content in (("directory", directory), ("hosts", hosts), ("charter", charter)):
        if content:
            # A JSON string without control characters is a TOML basic string, and so are lists and booleans.
            lines = [f"{key} = {json.dumps(value, ensure_ascii=False)}" for key, value in content.items()]
            parts.append(f"[{table}]\n" + "\n".join(lines) + "\n")
    return "\n".join(parts)


def make_workspace(folder: Path, text: str, first_charter: str) -> None:
    """Write the settings and an empty charter; `SettingsError` where a workspace stands already."""
    try:
        folder.mkdir(mode=0o700, parents=True, exist_ok=True)
        _write_new(folder / FILE_NAME, text)
        (folder / CHARTER_FOLDER).mkdir(mode=0o700, exist_ok=True)
        if not list((folder / CHARTER_FOLDER).glob("*.y*ml")):
            _write_new(folder / CHARTER_FOLDER / "charter.yaml", first_charter)
    except FileExistsError as error:
        raise SettingsError(
            f"{folder} is a workspace already", "Change its adzeguard.toml, or choose another folder"
        ) from error
    except OSError as error:
        raise SettingsError(f"{folder} cannot be made a workspace: {error.strerror}") from error


def _write_new(path: Path, text: str) -> None:
    with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "w", encoding="utf-8") as file:
        file.write(text)
