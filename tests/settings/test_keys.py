"""The table of keys says what the program does with adzeguard.toml."""

from pathlib import Path

import pytest

from adzeguard.core.errors import SettingsError
from adzeguard.settings.keys import KEYS, OF_DRIVERS, Key
from adzeguard.settings.settings import read_settings

DIRECTORY = '[directory]\nkind = "ldif"\nfile = "x.ldif"\n'
ODD = "[[1]]"
"""A value that no key takes."""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    """A folder that can be a workspace."""
    tmp_path.chmod(0o700)
    return tmp_path


@pytest.mark.parametrize("key", [key for key in KEYS if key.usual], ids=lambda key: f"{key.table}.{key.name}")
def test_without_a_key_its_usual_value_holds(folder: Path, key: Key) -> None:
    """Writing down what the table says is usual changes nothing."""
    (folder / "adzeguard.toml").write_text(DIRECTORY)
    without = read_settings(folder)
    content = f"[{key.table}.{key.name}]\n" if key.usual == "{}" else f"[{key.table}]\n{key.name} = {key.usual}\n"
    (folder / "adzeguard.toml").write_text(DIRECTORY + content)
    assert read_settings(folder) == without


@pytest.mark.parametrize(
    "key", [key for key in KEYS if key.table not in OF_DRIVERS], ids=lambda key: f"{key.table}.{key.name}"
)
def test_each_key_is_read(folder: Path, key: Key) -> None:
    """A value that cannot be meant is refused, with the key in the message: none is passed over."""
    (folder / "adzeguard.toml").write_text(f"{DIRECTORY}[{key.table}]\n{key.name} = {ODD}\n")
    with pytest.raises(SettingsError, match=key.name):
        read_settings(folder)
