"""What commands work with: workspace, store, charter and drivers, each opened when it is first needed."""

import getpass
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import click

from adzeguard.core.errors import SettingsError
from adzeguard.workspace.settings import Workspace, find_workspace, read_workspace

if TYPE_CHECKING:
    from adzeguard.core.change.changes import Change
    from adzeguard.core.change.guards.limits import NamedSizes
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.core.charter.resolve import ResolvedCharter
    from adzeguard.core.estate.estate import Estate
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.rights.delegations import Rights
    from adzeguard.directory.port import DirectoryDriver
    from adzeguard.hosts.port import HostDriver
    from adzeguard.store.database import Database
    from adzeguard.store.estate_store import EstateStore
    from adzeguard.store.journal import Journal


class Desk:
    """One command at work in one workspace."""

    def __init__(self, folder: Path | None, moment: datetime | None = None) -> None:
        """`folder` is what --workspace says, else the nearest one upwards; `moment` looks at the past."""
        self._folder = folder
        self._moment = moment

    @cached_property
    def workspace(self) -> Workspace:
        """The settings."""
        if self._folder is not None:
            return read_workspace(self._folder.resolve())
        return read_workspace(find_workspace(Path.cwd()))

    @cached_property
    def database(self) -> "Database":
        """The store's file."""
        from adzeguard.store.database import Database

        return Database(self.workspace.store_path)

    @cached_property
    def store(self) -> "EstateStore":
        """The collections."""
        from adzeguard.store.estate_store import EstateStore

        return EstateStore(self.database)

    @cached_property
    def journal(self) -> "Journal":
        """The journal."""
        from adzeguard.store.journal import Journal

        return Journal(self.database)

    @cached_property
    def estate(self) -> "Estate":
        """What was collected last, or stood at the moment that is looked at."""
        return self.store.load(self._moment)

    @cached_property
    def charter(self) -> "ResolvedCharter":
        """The charter, resolved against the estate."""
        from adzeguard.workflows.charter import resolved_charter
        from adzeguard.workspace.charter_yaml import load_charter

        workspace = self.workspace
        charter = load_charter(workspace.charter_folder)
        today = self.now().astimezone().date()
        return resolved_charter(charter, self.estate, today, workspace.response, workspace.keepers)

    @cached_property
    def rights(self) -> "Rights":
        """The estate with the schema and the duties, to speak about rights."""
        from adzeguard.core.rights.delegations import Rights
        from adzeguard.core.rights.duties import duties_of
        from adzeguard.directory.schema import standard_schema

        schema = standard_schema()
        return Rights(self.estate, schema, duties_of(schema, self.charter.charter.duties))

    @cached_property
    def standing(self) -> "list[Change]":
        """What rules have put in and nothing of ours has taken out again."""
        from adzeguard.workflows.standing import standing_of_rules

        return standing_of_rules(self.journal, self.estate)

    def make_proposal(self, also: tuple[str, ...]) -> "Proposal":
        """Compute the proposal of the charter; `also` are rules to put right although they only tell."""
        from adzeguard.workflows.propose import make_proposal

        return make_proposal(
            self.rights,
            self.charter,
            self.standing,
            collection=self.store.latest().id,
            now=self.now(),
            operator=self.operator(),
            also=also,
        )

    @cached_property
    def privileged(self) -> "list[Principal]":
        """The groups that the workspace names as privileged."""
        from adzeguard.workflows.charter import named_principals

        return named_principals(self.estate, self.workspace.privileged, "privileged")

    @cached_property
    def operator_account(self) -> "Principal | None":
        """The directory account of the operator, where one is known."""
        from adzeguard.core.errors import UsageError
        from adzeguard.core.estate.names import resolve

        try:
            return resolve(self.estate, self.workspace.operator) if self.workspace.operator else None
        except UsageError:  # a name to bind with need not be one of the directory's accounts
            return None

    def pass_guards(self, changes: "Sequence[Change]", named: "NamedSizes") -> None:
        """Refuse changes that must not be made; `named` are the sizes that the operator names."""
        from adzeguard.core.change.guards.all import pass_guards

        pass_guards(self.estate, changes, self.charter, self.workspace.limits, named, self.operator_account)

    @contextmanager
    def directory(self) -> "Iterator[DirectoryDriver]":
        """The directory, connected."""
        from adzeguard.workspace.passwords import password_source

        def ask(text: str) -> str:
            return str(click.prompt(text, hide_input=True, err=True))

        if self.workspace.directory.get("plain_ldap") == "true":
            click.echo("Warning: plain LDAP sends the password unencrypted", err=True)
        opener = _driver("adzeguard.directory", self.workspace.directory["kind"])
        secret = password_source(self.workspace, ask if sys.stdin.isatty() else None)
        driver: DirectoryDriver = opener(self.workspace.directory, secret)
        try:
            yield driver
        finally:
            driver.close()

    @cached_property
    def hosts(self) -> "HostDriver | None":
        """The hosts, if the workspace looks after any."""
        settings = self.workspace.hosts
        if not settings:
            return None
        driver: HostDriver = _driver("adzeguard.hosts", settings["kind"])(settings)
        return driver

    def now(self) -> datetime:
        """The time."""
        return datetime.now(UTC)

    def operator(self) -> str:
        """Who runs the command."""
        try:
            return getpass.getuser()
        except OSError:  # an account without a name, as in some containers
            return "unknown"


def _driver(group: str, kind: str) -> Any:
    from importlib.metadata import entry_points

    found = next(iter(entry_points(group=group, name=kind)), None)
    if found is None:
        raise SettingsError(f"there is no driver '{kind}' installed in {group}", "Install the package that brings it")
    return found.load()
