"""adzeguard.toml: to what a workspace is connected, and what it holds dear."""

import json
import re
import tomllib
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import field
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any, ClassVar, Final, Literal

from adzeguard.core.cleaning.thresholds import USUAL_THRESHOLDS, Thresholds
from adzeguard.core.errors import SettingsError
from adzeguard.core.estate.fleet import FleetPart
from adzeguard.core.limits import USUAL_LIMITS, Limits
from adzeguard.core.values import dataclass
from adzeguard.core.wording import nearest
from adzeguard.private_files import write_new
from adzeguard.settings.keys import OF_DRIVERS, USUAL_DRIVERS, keys_of, tables
from adzeguard.settings.trust import ensure_ours

FILE_NAME: Final = "adzeguard.toml"
STATE_FOLDER: Final = ".adzeguard"
CHARTER_FOLDER: Final = "charter"
_ATTRIBUTE: Final = re.compile(r"[A-Za-z][A-Za-z0-9-]{0,60}")  # RFC 4512 section 1.4, keystring
_LARGEST_FILE: Final = 1024 * 1024
_RESPONSES: Final = ("tell", "mend")
_FORMER_RESPONSES: Final = {"alert": "tell", "correct": "mend"}
"""What the responses were called in workspaces of the first version; those go on working."""
ONLY_DOMAIN: Final = "directory"
"""What the domain is called that stands in [directory] itself."""
ONLY_SOURCE: Final = "hosts"
"""What the source is called that stands in [hosts] itself."""
PARTS: Final = {"under": "under", "named": "named", "except": "excepted", "system": "system"}
"""The keys of a table of hosts that are ours, and not its driver's."""


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
class _OneOfMany:
    """A table that may stand several times under one heading: its name, and its driver's settings with `kind`."""

    heading: ClassVar[str]
    name: str
    given: dict[str, str]

    @property
    def table(self) -> str:
        """The table in which it stands."""
        return f"{self.heading}.{self.name}"


@dataclass(frozen=True)
class TellSettings(_OneOfMany):
    """One way of telling somebody."""

    heading: ClassVar[str] = "tell"


@dataclass(frozen=True)
class SharesSettings(_OneOfMany):
    """One server of file shares, by its name here."""

    heading: ClassVar[str] = "shares"


@dataclass(frozen=True)
class DomainSettings(_OneOfMany):
    """The directory of one of several domains, by its name here."""

    heading: ClassVar[str] = "directory"


@dataclass(frozen=True)
class OtherDomainSettings(_OneOfMany):
    """The directory of another domain, by its name here."""

    heading: ClassVar[str] = "other-domains"


@dataclass(frozen=True)
class RetireSettings:
    """The OU in which lies what is put away, and how many days it waits there before it may be deleted."""

    ou: str = "OU=Retired"
    wait_days: int = 30


@dataclass(frozen=True)
class QuestionSettings:
    """Who is asked where a rule names no owner, and what answers may be."""

    owner: str = ""
    own: bool = False
    """Whether somebody may answer a question about their own account."""
    longest_days: int = 365
    """For how long something may be left as it is."""
    answerers: tuple[str, ...] = ()
    """Who may answer beside the owner, by the names they work under."""
    deputy: str = ""
    """Who is told when an owner does not answer, before the workspace's owner is."""
    remind_days: int = 7
    """After how many days somebody is told again."""


@dataclass(frozen=True)
class ApprovalSettings:
    """For what somebody else must say yes, who may, for how long that counts, and whether glass may be broken."""

    groups: tuple[str, ...] = ()
    hosts: tuple[str, ...] = ()
    changes: tuple[str, ...] = ()
    signers: Path | None = None
    days: int = 7
    without: bool = False

    @property
    def is_needed(self) -> bool:
        """Whether anything needs a yes."""
        return bool(self.groups or self.hosts or self.changes)


@dataclass(frozen=True)
class Settings:
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
    """The directory account of the operator; otherwise the one that binds to the server."""
    tell: tuple[TellSettings, ...] = ()
    """The ways in which owners are told."""
    questions: QuestionSettings = field(default_factory=QuestionSettings)
    approval: ApprovalSettings = field(default_factory=ApprovalSettings)
    checks_off: tuple[str, ...] = ()
    """Checks that are not made."""
    severities: dict[str, str] = field(default_factory=dict)
    """By the ids of checks how much they matter here."""
    past_days: int = 30
    """How far back checks look into the trail."""
    working_hours: tuple[str, ...] = ()
    """Times of the week outside of which privileged groups should not change."""
    seal_key: Path | None = None
    """The SSH key that seals the journal once a day."""
    logs: tuple[Path, ...] = ()
    """Logs of the directory that each round reads on from where it was."""
    stale: Thresholds = USUAL_THRESHOLDS
    """From when on something counts as stale."""
    retire: RetireSettings = field(default_factory=RetireSettings)
    """Where what is put away lies, and for how long."""
    shares: tuple[SharesSettings, ...] = ()
    """The servers whose file shares are read."""
    domains: tuple[DomainSettings, ...] = ()
    """Of several domains those beside the first one, which `directory` is."""
    domain: str = ONLY_DOMAIN
    """What the first one is called in the settings."""
    other_domains: tuple[OtherDomainSettings, ...] = ()
    """The directories that say who is inside groups of other domains."""
    contract_attribute: str = "accountExpires"
    """The attribute of an account that says when the contract of its person ends."""
    longest_lease_days: int = 366
    """For how long a lease may be given or extended; one with a contract ends when that does."""

    @property
    def all_domains(self) -> tuple[DomainSettings, ...]:
        """The domains in their order, the first one among them."""
        return (DomainSettings(self.domain, self.directory), *self.domains)

    @property
    def store_path(self) -> Path:
        """The store's file."""
        return self.folder / STATE_FOLDER / "store.db"

    @property
    def kept_path(self) -> Path:
        """The copy of what holds now, which looks read; it can be deleted at any time, and is made anew."""
        return self.folder / STATE_FOLDER / "present"

    @property
    def kept_charter_path(self) -> Path:
        """What the charter's files said when they were parsed last; it can be deleted at any time too."""
        return self.folder / STATE_FOLDER / "charter"

    @property
    def last_round_path(self) -> Path:
        """The file whose time says when the last round ended: a round that finds nothing writes nothing else."""
        return self.folder / STATE_FOLDER / "last-round"

    @property
    def last_round(self) -> datetime | None:
        """When the last round ended; None where there was none."""
        try:
            return datetime.fromtimestamp(self.last_round_path.stat().st_mtime, UTC)
        except OSError:
            return None

    @property
    def journal_head_path(self) -> Path:
        """The file that keeps where the journal ends."""
        return self.folder / STATE_FOLDER / "journal-head"

    @property
    def seals_folder(self) -> Path:
        """The folder of the seals of the journal."""
        return self.folder / STATE_FOLDER / "seals"

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


def read_settings(folder: Path) -> Settings:
    """Read the settings of a workspace; `SettingsError` says what is wrong with them."""
    path = folder / FILE_NAME
    tree = read_tree(folder)
    _refuse_unknown(tree, path)
    for decisive in (path, folder / STATE_FOLDER, folder / CHARTER_FOLDER):
        ensure_ours(decisive)
    store = _texts(tree.get("store", {}), "store", path)
    first, *domains = _domains(tree.get("directory", {}), path)
    charter, guards = tree.get("charter", {}), tree.get("guards", {})
    return Settings(
        folder,
        first.given,
        tuple(_host_sources(tree.get("hosts", {}), path)),
        _response(charter, path),
        _names(charter, "keepers", path),
        _names(charter, "privileged", path),
        _limits(guards, path),
        store.get("url", ""),
        _days(tree.get("checks", {}), "waiting_days", 14, path),
        _days(tree.get("checks", {}), "unread_days", 14, path),
        _texts(tree.get("cluster", {}), "cluster", path),
        _text(guards, "operator", path, "guards") or first.given.get("bind_as", ""),
        tuple(TellSettings(*one) for one in _named_tables(tree.get("tell", {}), "tell", "[tell.mail]", path)),
        _questions(tree.get("questions", {}), path),
        _approval(tree.get("approval", {}), folder, path),
        _names(tree.get("checks", {}), "off", path, "checks"),
        _texts(_table(tree.get("checks", {}), "severity", path), "checks.severity", path),
        _days(tree.get("checks", {}), "past_days", 30, path),
        _names(tree.get("checks", {}), "working_hours", path, "checks"),
        _seal_key(tree.get("seal", {}), folder, path),
        tuple((folder / name).resolve() for name in _names(tree.get("trail", {}), "logs", path, "trail")),
        _thresholds(tree.get("stale", {}), path),
        RetireSettings(
            _texts({k: v for k, v in tree.get("retire", {}).items() if k == "ou"}, "retire", path).get(
                "ou", RetireSettings.ou
            ),
            _days(tree.get("retire", {}), "wait_days", RetireSettings.wait_days, path, "retire"),
        ),
        tuple(
            SharesSettings(*one) for one in _named_tables(tree.get("shares", {}), "shares", "[shares.harbour]", path)
        ),
        tuple(domains),
        first.name,
        tuple(
            OtherDomainSettings(*one)
            for one in _named_tables(tree.get("other-domains", {}), "other-domains", "[other-domains.isle]", path)
        ),
        _attribute({k: v for k, v in tree.get("leases", {}).items() if k != "longest_days"}, path),
        _days(tree.get("leases", {}), "longest_days", Settings.longest_lease_days, path, "leases"),
    )


def read_tree(folder: Path) -> dict[str, Any]:
    """Return what adzeguard.toml says, as plain values; `SettingsError` if it cannot be read."""
    path = folder / FILE_NAME
    try:
        if path.stat().st_size > _LARGEST_FILE:
            raise SettingsError(f"{path} is larger than 1 MiB")
        tree: dict[str, Any] = tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError as error:
        raise SettingsError(
            f"{folder} is not a workspace: it holds no {FILE_NAME}", "Make one: adzeguard init DIR"
        ) from error
    except (OSError, UnicodeDecodeError) as error:
        raise SettingsError(f"{path} cannot be read: {error}") from error
    except tomllib.TOMLDecodeError as error:
        raise SettingsError(f"{path}: {error}", "It must be TOML, as adzeguard init wrote it") from error
    return tree


def _attribute(content: dict[str, Any], path: Path) -> str:
    name = _texts(content, "leases", path).get("contract_attribute", Settings.contract_attribute)
    if not _ATTRIBUTE.fullmatch(name):
        raise SettingsError(f"{path}: [leases] contract_attribute: '{name[:80]}' is no name of an attribute")
    return name


def _thresholds(content: dict[str, Any], path: Path) -> Thresholds:
    usual = USUAL_THRESHOLDS
    return Thresholds(
        *(
            timedelta(days=_days(content, key, given.days, path, "stale"))
            for key, given in (
                ("unused_days", usual.unused),
                ("never_used_days", usual.never_used),
                ("password_days", usual.password),
            )
        )
    )


def _named_tables(content: dict[str, Any], table: str, such: str, path: Path) -> Iterator[tuple[str, dict[str, str]]]:
    for name, keys in content.items():
        if not isinstance(keys, dict) or not name.replace("-", "").isalnum():
            raise SettingsError(f"{path}: in [{table}] each is a table of its own", f"Such as {such}")
        yield name, {"kind": USUAL_DRIVERS.get(table, name), **_texts(keys, f"{table}.{name}", path)}


def _domains(content: dict[str, Any], path: Path) -> Iterator[DomainSettings]:
    """Yield the domains in their order: that of [directory] itself, then one of each [directory.NAME]."""
    tables = {name: value for name, value in content.items() if isinstance(value, dict)}
    own = {key: value for key, value in content.items() if key not in tables}
    if own or not tables:
        yield DomainSettings(ONLY_DOMAIN, _with_kind(_texts(own, "directory", path), "directory", path))
    for name, keys in tables.items():
        if not name.replace("-", "").isalnum() or name == ONLY_DOMAIN:
            raise SettingsError(f"{path}: '{name}' cannot be the name of a domain", "Use letters, digits and dashes")
        table = f"directory.{name}"
        yield DomainSettings(name, _with_kind(_texts(keys, table, path), table, path))


def _with_kind(given: dict[str, str], table: str, path: Path) -> dict[str, str]:
    if not given.get("kind"):
        raise SettingsError(f"{path}: [{table}] kind is missing", "It names the driver, such as ldif or ldap")
    return given


def _approval(content: dict[str, Any], folder: Path, path: Path) -> ApprovalSettings:
    named = {key: _names(content, key, path, "approval") for key in ("groups", "hosts", "changes")}
    signers, without = content.get("signers", ""), content.get("without", False)
    if not isinstance(without, bool) or not isinstance(signers, str):
        raise SettingsError(f"{path}: [approval] signers must name a file, and without must be true or false")
    if any(named.values()) and not signers:
        raise SettingsError(f"{path}: [approval] signers is missing", "It names the file of those who may say yes")
    if signers:
        ensure_ours(folder / signers)
    days = _days(content, "days", ApprovalSettings.days, path, "approval")
    return ApprovalSettings(**named, signers=folder / signers if signers else None, days=days, without=without)


def _table(content: dict[str, Any], key: str, path: Path) -> dict[str, Any]:
    table = content.get(key, {})
    if not isinstance(table, dict):
        raise SettingsError(f"{path}: [checks.{key}] is a table of its own")
    return table


def _seal_key(content: dict[str, Any], folder: Path, path: Path) -> Path | None:
    key = content.get("key", "")
    if not isinstance(key, str):
        raise SettingsError(f"{path}: [seal] key must name a file")
    if key:
        ensure_ours(folder / key)
    return folder / key if key else None


def _questions(content: dict[str, Any], path: Path) -> QuestionSettings:
    own = content.get("own", False)
    if not isinstance(own, bool):
        raise SettingsError(f"{path}: [questions] own must be true or false")
    longest = _days(content, "longest_days", QuestionSettings.longest_days, path, "questions")
    answerers = _names(content, "answerers", path, "questions")
    remind = _days(content, "remind_days", QuestionSettings.remind_days, path, "questions")
    owner, deputy = (_text(content, key, path, "questions") for key in ("owner", "deputy"))
    return QuestionSettings(owner, own, longest, answerers, deputy, remind)


def _response(charter: dict[str, Any], path: Path) -> Literal["tell", "mend"]:
    given = str(charter.get("response", "tell"))
    response = _FORMER_RESPONSES.get(given, given)
    if response not in _RESPONSES:
        raise SettingsError(f"{path}: [charter] response must be 'tell' or 'mend', not '{given}'")
    return "mend" if response == "mend" else "tell"


def _refuse_unknown(tree: dict[str, Any], path: Path) -> None:
    for table, content in tree.items():
        if table not in tables() or not isinstance(content, dict):
            raise SettingsError(f"{path}: there is no [{table}]{_near(table, tables())}")
        known = keys_of(table)
        for key in content if table not in OF_DRIVERS else ():
            if key not in known:
                raise SettingsError(f"{path}: [{table}] has no key {key}{_near(key, known)}")


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
        elif key == "urls" and isinstance(value, list) and all(isinstance(one, str) for one in value):
            texts[key] = " ".join(value)
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


def _days(checks: dict[str, Any], key: str, usual: int, path: Path, table: str = "checks") -> int:
    value = checks.get(key, usual)
    if isinstance(value, bool) or not isinstance(value, int) or value < 0:
        raise SettingsError(f"{path}: [{table}] {key} must be a number of days, not {value!r}")
    return value


def _text(content: dict[str, Any], key: str, path: Path, table: str) -> str:
    value = content.get(key, "")
    if not isinstance(value, str):
        raise SettingsError(f"{path}: [{table}] {key} must be a text, not {value!r}")
    return value


def _names(content: dict[str, Any], key: str, path: Path, table: str = "charter") -> tuple[str, ...]:
    names = content.get(key, [])
    if not isinstance(names, list) or not all(isinstance(name, str) for name in names):
        raise SettingsError(f"{path}: [{table}] {key} must be a list of names")
    return tuple(names)


def settings_text(
    directory: dict[str, str | bool], hosts: Sequence[HostsSettings], charter: dict[str, Any], answerer: str = ""
) -> str:
    """Return the text of adzeguard.toml; `answerer` may answer questions beside the owners of rules."""
    parts = ["# What this workspace is connected to. Passwords never stand here: see the guide.\n"]
    sources = [(source.table, _written(source)) for source in hosts]
    questions = {"answerers": [answerer]} if answerer else {}
    for table, content in (("directory", directory), *sources, ("charter", charter), ("questions", questions)):
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
