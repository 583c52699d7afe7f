"""What a workspace is connected to: its settings with their origins, and whether each connection works."""

import json
from collections.abc import Callable, Iterator
from typing import TYPE_CHECKING, Any, Final

from adzeguard.core.drivers import DriverKind
from adzeguard.core.errors import AdzeguardError, NothingCollectedError
from adzeguard.core.views.settings import SettingRow
from adzeguard.core.wellknown import RID_ADMINISTRATOR
from adzeguard.core.wording import counted_noun, some_of
from adzeguard.hosts.port import Step
from adzeguard.settings.drivers import find_driver
from adzeguard.settings.keys import KEYS, OF_DRIVERS, USUAL_DRIVERS
from adzeguard.settings.settings import DomainSettings, read_tree
from adzeguard.tellers.port import TryableTeller
from adzeguard.workflows.host_trial import tried

if TYPE_CHECKING:
    from adzeguard.workflows.foreign_members import OtherDomain
    from adzeguard.workspace.open_workspace import Workspace

_FILE: Final = "file"
_DEFAULT: Final = "default"
_UNSET: Final = "not set"


def settings_listed(workspace: "Workspace") -> Iterator[SettingRow]:
    """Yield every key with its value and where that comes from, the keys of the drivers in use among them."""
    tree = read_tree(workspace.settings.folder)
    for table in OF_DRIVERS:
        for name, content in _tables_of_drivers(table, tree.get(table, {})):
            yield from _of_driver(table, name, content)
    for key in KEYS:
        if key.table not in OF_DRIVERS:
            content = tree.get(key.table, {})
            given = key.name in content
            value = _toml(content[key.name]) if given else key.usual
            yield SettingRow(
                key.table, key.name, value, key.usual, _FILE if given else _DEFAULT if key.usual else _UNSET, key.words
            )


def connections_tried(workspace: "Workspace") -> Iterator[Step]:
    """Try everything that the settings name, one after the other; nothing is changed, and nobody is written to."""
    yield from directory_tried(workspace)
    for try_out in (_names, _hosts, _store, _charter, _tellers, _shares, _other_domains):
        try:
            yield from try_out(workspace)
        except AdzeguardError as error:
            yield Step(try_out.__name__.removeprefix("_"), trouble=str(error))


def directory_tried(workspace: "Workspace") -> Iterator[Step]:
    """Connect to the directory of each domain, and see what its account may read."""
    for one in workspace.settings.all_domains:
        suffix = "" if one.name == workspace.settings.domain else f".{one.name}"
        yield from _domain_tried(workspace, one, suffix)


def _domain_tried(workspace: "Workspace", one: DomainSettings, suffix: str) -> Iterator[Step]:
    try:
        with workspace.directory_of(one) as directory:
            domain = directory.facts().domain
            top = directory.read(domain.base_dn)
            label = directory.label
    except AdzeguardError as error:
        yield Step(f"directory{suffix}", trouble=str(error))
        return
    yield Step(f"directory{suffix}", f"{label}: the domain {domain.short_name} ({domain.dns_name})")
    if top is None or top.first("ntsecuritydescriptor") is None:
        blind = "This account may not read who holds which rights there: grant, may and reach will know nothing."
        yield Step(f"rights{suffix}", trouble=blind)
    else:
        yield Step(f"rights{suffix}", "this account may read who holds which rights")


def _names(workspace: "Workspace") -> Iterator[Step]:
    """Ask for the name of the first account of this domain, as is done for those of others."""
    namer = workspace.foreign_namer()
    if namer is not None:
        with workspace.directory() as directory:
            sid = str(directory.facts().domain.account(RID_ADMINISTRATOR))
        found = namer.foreign_names([sid], int(workspace.now().timestamp()))
        yield Step("names", f"asked the server: {found[0].name}" if found else "", "" if found else "no answer")


def _hosts(workspace: "Workspace") -> Iterator[Step]:
    """Try one host of each source: the first that it takes."""
    with workspace.hosts() as fleet:
        for source in workspace.settings.hosts:
            try:
                mine = [one for one in workspace.estate.hosts if fleet.source_of(one) == source.name]
            except NothingCollectedError:
                yield Step(source.table, "its hosts are known after: adzeguard collect")
                continue
            if not mine:
                yield Step(source.table, trouble="it takes no host of the directory")
                continue
            for step in tried(fleet, mine[0]):
                if step.trouble or step.what == "read":
                    yield Step(f"{source.table} {mine[0].name}", step.said, step.trouble)


def _store(workspace: "Workspace") -> Iterator[Step]:
    role = workspace.database.role
    where = "the database of a team" if workspace.settings.store_url else str(workspace.settings.store_path)
    writable = "" if workspace.database.writable else ", which can only be read"
    yield Step("store", f"{where}{f', as {role}' if role else ''}{writable}")


def _charter(workspace: "Workspace") -> Iterator[Step]:
    yield Step("charter", counted_noun(len(workspace.written_charter.rules), "rule"))


def _tellers(workspace: "Workspace") -> Iterator[Step]:
    with workspace.tellers() as tellers:
        for name, teller in tellers.items():
            if isinstance(teller, TryableTeller):
                yield _tried(f"tell.{name}", teller.try_out)
            else:
                yield Step(f"tell.{name}", "it is tried by: adzeguard questions try")


def _shares(workspace: "Workspace") -> Iterator[Step]:
    with workspace.share_servers() as servers:
        for name, server in servers.items():
            yield _tried(f"shares.{name}", lambda one=server: some_of([share.name for share in one.shares()]))  # type: ignore[misc]


def _other_domains(workspace: "Workspace") -> Iterator[Step]:
    with workspace.other_domains() as others:
        for other in others:
            yield _tried(f"other-domains.{other.name}", lambda one=other: _served(one))  # type: ignore[misc]


def _served(other: "OtherDomain") -> str:
    domain = other.directory.facts().domain
    return f"{other.directory.label}: the domain {domain.short_name} ({domain.dns_name})"


def _tried(what: str, try_out: Callable[[], str]) -> Step:
    try:
        return Step(what, try_out())
    except AdzeguardError as error:
        return Step(what, trouble=str(error))


def _tables_of_drivers(table: str, content: dict[str, Any]) -> list[tuple[str, dict[str, Any]]]:
    """Return the tables of a heading: itself where it has keys of its own, and those below it."""
    below = [(f"{table}.{name}", value) for name, value in content.items() if isinstance(value, dict)]
    own = {key: value for key, value in content.items() if not isinstance(value, dict)}
    return [(table, own), *below] if own else below


def _of_driver(heading: str, table: str, content: dict[str, Any]) -> Iterator[SettingRow]:
    kind = str(content.get("kind", USUAL_DRIVERS.get(heading, table.rpartition(".")[2])))
    yield SettingRow(table, "kind", _toml(kind), "", _FILE, "the driver")
    try:
        driver: DriverKind | None = find_driver(heading, kind, table)
    except AdzeguardError:
        driver = None
    known = {setting.key: setting.words for setting in driver.settings} if driver is not None else {}
    known |= {key.name: key.words for key in KEYS if key.table == heading}
    for name in dict.fromkeys([*content, *known]):
        if name != "kind":
            given = name in content
            value = _toml(content[name]) if given else ""
            yield SettingRow(
                table, name, value, "", _FILE if given else _UNSET, known.get(name, "unknown to the driver")
            )


def _toml(value: Any) -> str:
    return json.dumps(value, ensure_ascii=False)
