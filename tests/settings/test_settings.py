"""Settings and passwords."""

from pathlib import Path

import pytest

from adzeguard.core.errors import SettingsError
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.settings.drivers import checked_settings, find_driver
from adzeguard.settings.passwords import password_source
from adzeguard.settings.settings import HostsSettings, Settings, read_settings, settings_text


def workspace(folder: Path, **directory: str) -> Settings:
    """A workspace at a server."""
    return Settings(folder, {"kind": "ldap", "url": "ldaps://x", "bind_as": r"LOWMERE\reader", **directory})


def test_a_password_comes_from_its_file_the_environment_or_a_person(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The file goes first, then the environment, then a prompt, asked once; without any it is said how."""
    file = tmp_path / "p"
    file.touch(0o600)
    file.write_text("from file\n")
    monkeypatch.setenv("ADZEGUARD_PASSWORD", "from environment")
    for bound in ("", "ldaps://stranger"):
        monkeypatch.setenv("ADZEGUARD_PASSWORD_FOR", bound)
        with pytest.raises(SettingsError, match="ADZEGUARD_PASSWORD is for"):
            password_source(workspace(tmp_path), lambda _question: "typed")()
    monkeypatch.setenv("ADZEGUARD_PASSWORD_FOR", "ldaps://x")
    asked = []

    def ask(text: str) -> str:
        asked.append(text)
        return "from person"

    assert password_source(workspace(tmp_path, password_file=str(file)), ask)() == "from file"
    assert password_source(workspace(tmp_path), ask)() == "from environment"
    with pytest.raises(SettingsError, match="not sent to ldap://x unencrypted"):
        password_source(workspace(tmp_path, url="ldap://x", plain_ldap="true"), ask)()
    monkeypatch.delenv("ADZEGUARD_PASSWORD")
    source = password_source(workspace(tmp_path), ask)
    assert source() == source() == "from person"
    assert asked == [r"Password of LOWMERE\reader at ldaps://x"]
    with pytest.raises(SettingsError, match="ADZEGUARD_PASSWORD"):
        password_source(workspace(tmp_path), lambda _question: None)()
    with pytest.raises(SettingsError, match="cannot be read"):
        password_source(workspace(tmp_path, password_file=str(tmp_path / "gone")), ask)()


def test_settings_survive_being_written_and_paths_stand_on_the_workspace(tmp_path: Path) -> None:
    """Backslashes, quotes and non-ASCII names come back; relative paths are those of the workspace."""
    text = settings_text(
        {"kind": "ldif", "file": "d/ü.ldif", "domain": 'A"B'},
        [HostsSettings("quay", {"kind": "standin", "folder": "h"}, FleetPart(["OU=Quay"], excepted=['Q"-*']))],
        {"response": "mend", "keepers": [r"LOWMERE\Ωmega"], "privileged": []},
    )
    (tmp_path / "adzeguard.toml").write_text(
        text + "\n[guards]\nremovals = 7\nshare = 0.25\noperator = 'LOWMERE\\ada'\n"
    )
    read = read_settings(tmp_path)
    [quay] = read.hosts
    assert (quay.name, quay.table, quay.given) == ("quay", "hosts.quay", {"kind": "standin", "folder": "h"})
    assert (quay.part.under, quay.part.excepted, quay.part.named) == (("OU=Quay",), ('Q"-*',), ())

    of_driver = checked_settings(find_driver("directory", "ldif"), "directory", read.directory, tmp_path)
    assert of_driver == {"file": str(tmp_path / "d/ü.ldif"), "domain": 'A"B'}
    assert (read.response, read.keepers, read.operator) == ("mend", (r"LOWMERE\Ωmega",), r"LOWMERE\ada")
    assert (read.limits.removals, read.limits.hosts, read.limits.share) == (7, 200, 0.25)


@pytest.mark.parametrize(
    ("line", "said"),
    [
        ("[guards]\nremovals = true", "must be a number"),
        ("[guards]\nremovals = -1", "must be a number"),
        ("[guards]\nremovlas = 1", "did you mean removals?"),
        ("[charter]\nkeepers = 'x'", "must be a list of names"),
        ("[charter]\nresponse = 'fix'", "must be 'tell' or 'mend'"),
        ("[hosts]\nfolder = 'x'", "[hosts] kind is missing"),
        ("[hosts]\nfolder = []", "must be a text"),
        ("[hosts.quay]\nfolder = 'x'", "[hosts.quay] kind is missing"),
        ("[hosts]\nkind = 'standin'\n[hosts.quay]\nkind = 'standin'", "both the key kind and the source quay"),
        ("[hosts.'q y']\nkind = 'standin'", "'q y' cannot be the name of a source"),
        ("[hosts.quay]\nkind = 'standin'\nunder = []", "[hosts.quay] under must be a text or a list of texts"),
        ("= 3", "It must be TOML"),
    ],
)
def test_a_mistake_in_the_settings_is_named(tmp_path: Path, line: str, said: str) -> None:
    """Unknown keys, wrong types and broken TOML are told with the nearest right word."""
    (tmp_path / "adzeguard.toml").write_text(f"[directory]\nkind = 'ldif'\nfile = 'x'\n{line}\n")
    with pytest.raises(SettingsError) as raised:
        read_settings(tmp_path)

    assert said in str(raised.value)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        ({"kind": "ldif", "fiel": "x"}, "has no key fiel, did you mean file?"),
        ({"kind": "ldif"}, "file is missing"),
        ({"kind": "ldpa"}, "there is no driver 'ldpa'. Did you mean ldap?"),
    ],
)
def test_a_driver_says_which_keys_it_knows(tmp_path: Path, given: dict[str, str], said: str) -> None:
    """A key that the driver does not know, one that it lacks, and a driver that no package brings are told."""
    with pytest.raises(SettingsError) as raised:
        checked_settings(find_driver("directory", given["kind"]), "directory", given, tmp_path)

    assert said in str(raised.value)


def test_a_workspace_of_the_first_version_goes_on_working(tmp_path: Path) -> None:
    """What was called alert and correct then is read as tell and mend."""
    for former, word in (("alert", "tell"), ("correct", "mend")):
        (tmp_path / "adzeguard.toml").write_text(
            f"[directory]\nkind = 'ldif'\nfile = 'x'\n[charter]\nresponse = '{former}'\n"
        )
        assert read_settings(tmp_path).response == word
