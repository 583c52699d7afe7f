"""One workspace at work: settings, store, charter and drivers, each opened when it is first needed."""

from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, ExitStack, closing, contextmanager
from datetime import datetime, timedelta
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

from adzeguard import clock
from adzeguard.settings.settings import (
    ONLY_DOMAIN,
    DomainSettings,
    HostsSettings,
    OtherDomainSettings,
    Settings,
    SharesSettings,
    TellSettings,
    find_workspace,
    read_settings,
)
from adzeguard.workspace.frontend import SILENT, Frontend

if TYPE_CHECKING:
    from adzeguard.core.access.shares import Shared
    from adzeguard.core.change.change import Change
    from adzeguard.core.change.draft import Draft
    from adzeguard.core.change.guards.case import Case
    from adzeguard.core.change.proposal import Proposal
    from adzeguard.core.change.reach_impact import Privilege
    from adzeguard.core.charter.charter import Charter
    from adzeguard.core.charter.resolve import ResolvedCharter
    from adzeguard.core.checks.check import Check
    from adzeguard.core.checks.check_input import CheckInput
    from adzeguard.core.checks.finding import Finding
    from adzeguard.core.drivers import Secret
    from adzeguard.core.estate.estate import Estate
    from adzeguard.core.estate.foreign import NamesForeigners
    from adzeguard.core.estate.principal import Principal
    from adzeguard.core.limits import NamedSizes
    from adzeguard.core.review.correction import Correction
    from adzeguard.core.rights.delegations import Rights
    from adzeguard.core.rights.schema import Schema
    from adzeguard.core.trail.privileged_events import Seen
    from adzeguard.directory.port import DirectoryDriver
    from adzeguard.hosts.fleet import Fleet
    from adzeguard.hosts.worker_pool import SourceApart, WorkerPool
    from adzeguard.shares.port import SharesDriver
    from adzeguard.store.checked import Checked
    from adzeguard.store.connection import Database
    from adzeguard.store.estate_store import EstateStore
    from adzeguard.store.journal import Journal
    from adzeguard.store.trail import Trail
    from adzeguard.tellers.port import Teller
    from adzeguard.workflows.foreign_members import OtherDomain
    from adzeguard.workflows.names import KnownNames
    from adzeguard.workflows.pace import Pace
    from adzeguard.workflows.past import Past
    from adzeguard.workflows.propose import Proposed, Proposer
    from adzeguard.workflows.run import Ports


_A_DAY = timedelta(days=1)
_KEPT_OPEN = {"_folder", "_moment", "frontend", "_is_held", "_looks", "_looking", "settings"}


class Workspace:
    """One workspace at work.

    What is asked for is opened then and kept: the store first, then the estate, then what is drawn from it. Whatever
    writes to the store must call `look_anew`, or the next answer is about what stood before.
    """

    def __init__(self, folder: Path | None, moment: datetime | None = None, frontend: Frontend = SILENT) -> None:
        """`folder` holds the workspace, None means the nearest one upwards; `moment` looks at the past."""
        self._folder = folder
        self._moment = moment
        self.frontend = frontend
        self._is_held = False
        self._looks = False
        self._looking = ExitStack()

    def look_only(self) -> None:
        """Read everything from now on from one moment of the store, the one at which it is first asked."""
        self._looks = True

    @cached_property
    def settings(self) -> Settings:
        """The settings."""
        if self._folder is not None:
            return read_settings(self._folder.resolve())
        return read_settings(find_workspace(Path.cwd()))

    @cached_property
    def database(self) -> "Database":
        """The store: a file of the workspace, or the database of a team."""
        opened = self._opened_store()
        if self._looks:
            self._looking.enter_context(opened.reading())
        return opened

    def _opened_store(self) -> "Database":
        if self.settings.store_url:
            try:
                from adzeguard.store.postgres import PostgresDatabase
            except ModuleNotFoundError as error:
                from adzeguard.core.errors import SettingsError

                way_out = "pip install 'adzeguard[team]'"
                raise SettingsError("[store] url needs an extra package", way_out) from error
            return PostgresDatabase(self.settings.store_url)
        from adzeguard.store.sqlite import SqliteDatabase

        return SqliteDatabase(self.settings.store_path, self.settings.lock_path)

    def close(self) -> None:
        """Let go of the store and of all that was drawn from it; what is asked afterwards opens it again."""
        opened: Database | None = self.__dict__.get("database")
        self._looking.close()
        for name in set(self.__dict__) - _KEPT_OPEN:
            del self.__dict__[name]
        if opened is not None:
            opened.close()

    @contextmanager
    def held(self, task: str) -> Iterator[None]:
        """Hold the workspace while a task changes something; what is held already is held on."""
        if self._is_held:
            yield
            return
        with self.database.held(task):
            self._is_held = True
            try:
                yield
            finally:
                self._is_held = False
                self.journal.see_end()

    @contextmanager
    def in_one_moment(self) -> Iterator[None]:
        """Read all that is asked for meanwhile from one moment of the store; nothing may be written."""
        self._gather_put_in()
        with self.database.reading():
            yield

    def _gather_put_in(self) -> None:
        """Find out once what rules have put in, where a store of an older version does not say it."""
        from adzeguard.store.put_in import PutIn

        if self.database.writable and PutIn(self.database).is_to_be_gathered() and self.journal.count():
            with self.held("gather what rules have put in"):
                self.put_in  # noqa: B018 - asked for, so that it is gathered
            self.look_anew()

    def ports(
        self,
        directory: "DirectoryDriver",
        hosts: "Fleet",
        *,
        stopping: Callable[[], bool] = lambda: False,
        pace: "Pace | None" = None,
        crew: "WorkerPool | None" = None,
        shares: "Mapping[str, SharesDriver] | None" = None,
    ) -> "Ports":
        """Return what an enactment writes to, and where that is written down."""
        from adzeguard.workflows.pace import Pace
        from adzeguard.workflows.run import Ports

        return Ports(
            directory,
            hosts,
            self.store,
            self.journal,
            self.now,
            self.operator(),
            stopping,
            pace or Pace(),
            crew,
            shares or {},
        )

    @cached_property
    def store(self) -> "EstateStore":
        """The collections."""
        from adzeguard.store.estate_store import EstateStore

        return EstateStore(self.database, self.settings.kept_path)

    @cached_property
    def journal(self) -> "Journal":
        """The journal."""
        from adzeguard.store.journal import Journal
        from adzeguard.store.journal_head import JournalHead

        return Journal(self.database, JournalHead(self.settings.journal_head_path))

    @cached_property
    def estate(self) -> "Estate":
        """What was collected last, or stood at the moment that is looked at."""
        return self.store.load(self._moment)

    def look_anew(self) -> None:
        """Forget the estate and what was drawn from it: the store has been written to."""
        for name in ("estate", "charter", "rights", "standard_rights", "put_in", "privileged", "operator_account"):
            self.__dict__.pop(name, None)

    @cached_property
    def checked(self) -> "Checked":
        """What the last check found."""
        from adzeguard.store.checked import Checked

        return Checked(self.database)

    @cached_property
    def written_charter(self) -> "Charter":
        """The charter as it is written."""
        from adzeguard.settings.charter_yaml import load_charter

        return load_charter(self.settings.charter_folder, kept=self.settings.kept_charter_path)

    @cached_property
    def charter(self) -> "ResolvedCharter":
        """The charter, resolved against the estate."""
        return self.resolved(self.written_charter)

    def resolved(self, written: "Charter") -> "ResolvedCharter":
        """Resolve a charter against the estate: that of the workspace, or another one that it is compared with."""
        from adzeguard.store.rule_names import RuleNamesKept
        from adzeguard.workflows.charter import resolved_charter

        workspace, today = self.settings, self.now().astimezone().date()
        stood_for = RuleNamesKept(self.database).all() if self._moment is None else {}
        return resolved_charter(written, self.estate, today, workspace.response, workspace.keepers, stood_for)

    def remember_names(self) -> None:
        """Keep what the names in rules stand for now, so that what is renamed is known again."""
        from adzeguard.store.rule_names import RuleNamesKept

        news = self.charter.memory.news
        if news and self.database.writable:
            RuleNamesKept(self.database).keep(news)

    def take_names_anew(self) -> None:
        """Let each name in rules stand for what is called so now."""
        from adzeguard.store.rule_names import RuleNamesKept

        RuleNamesKept(self.database).forget()
        self.look_anew()
        self.remember_names()

    @cached_property
    def charter_digest(self) -> str:
        """What tells one charter from another, for the journal: over the names and the bytes of its files."""
        from adzeguard.settings.charter_yaml import digest_of_charter

        return digest_of_charter(self.settings.charter_folder)

    @property
    def guarding_charter(self) -> "ResolvedCharter":
        """The charter as guards need it: the keepers, whom the settings name, also where no rule can be read.

        A mistake of writing in a rule must not keep in what is over, nor anybody from taking it out.
        """
        from adzeguard.core.charter.charter import Charter
        from adzeguard.core.errors import CharterError

        try:
            return self.charter
        except CharterError:
            return self.resolved(Charter())

    def charter_if_readable(self, otherwise: str) -> "ResolvedCharter | None":
        """Return the charter for what only adds to an answer; where it cannot be read, that is said."""
        from adzeguard.core.errors import CharterError

        try:
            return self.charter
        except CharterError as error:
            self.frontend.say(f"{otherwise}, since the charter cannot be read:\n{error.message}")
            return None

    @cached_property
    def rights(self) -> "Rights":
        """The estate with the schema and the duties, to speak about rights."""
        return self.rights_of(self.estate, self.written_charter)

    @cached_property
    def standard_rights(self) -> "Rights":
        """The same with the duties alone that ship with the tool, for which the charter need not be read."""
        return self.rights_of(self.estate)

    @cached_property
    def schema(self) -> "Schema":
        """The schema that every directory begins with, and what the server has otherwise."""
        from adzeguard.core.errors import StoreDamagedError
        from adzeguard.directory.schema import read_schema, standard_schema

        _, told = self.store.schema()
        if not told:
            return standard_schema()
        try:
            return standard_schema().with_those_of(read_schema(told))
        except (ValueError, KeyError, TypeError, AttributeError) as error:
            raise StoreDamagedError("the schema of the server cannot be read") from error

    def rights_of(self, estate: "Estate", with_duties_of: "Charter | None" = None) -> "Rights":
        """Return an estate, such as one of the past, with the schema and the usual duties, and those of a charter."""
        from adzeguard.core.rights.delegations import Rights
        from adzeguard.core.rights.duties import duties_of

        schema = self.schema
        own = with_duties_of.duty_words if with_duties_of is not None else {}
        return Rights(estate, schema, duties_of(schema, own))

    @cached_property
    def put_in(self) -> "list[Change]":
        """What rules have put in and nothing of ours has taken out again."""
        from adzeguard.store.put_in import PutIn
        from adzeguard.workflows.put_in import put_in_by_rules

        if self._looks and self.database.writable and PutIn(self.database).is_to_be_gathered():
            # What only looks writes nothing: what must be gathered once is gathered by another hand.
            with closing(Workspace(self.settings.folder, self._moment, self.frontend)) as other, other.in_one_moment():
                return other.put_in
        return put_in_by_rules(PutIn(self.database), self.journal, self.estate)

    def findings(self, *, with_left: bool = True) -> "list[Finding]":
        """What the checks find now, worst first; otherwise what was left as it is counts as any other."""
        from dataclasses import replace

        from adzeguard.core.checks.all import all_findings

        looked_at = self.looked_at()
        return all_findings(looked_at if with_left else replace(looked_at, waivers=()), self.checks)

    def charter_draft(
        self, also: tuple[str, ...], is_meant: "Callable[[Correction], bool]" = lambda _one: True
    ) -> "Draft":
        """Return what the charter asks for; `also` are rules to put right although they only tell."""
        from adzeguard.core.review.draft import draft_of, without_left
        from adzeguard.core.time.question import left_as_it_is
        from adzeguard.store.questions import Waivers

        left = left_as_it_is(Waivers(self.database).all(), self.now())
        return draft_of(without_left(filter(is_meant, self.corrections()), left), also)

    def corrections(self) -> "Iterator[Correction]":
        """Yield what deviates from the charter, less what a lease gives."""
        return self.corrections_by(self.rights, self.charter)

    def corrections_by(self, rights: "Rights", charter: "ResolvedCharter") -> "Iterator[Correction]":
        """Yield what deviates from a charter, less what a lease gives."""
        from adzeguard.core.review.corrections import corrections
        from adzeguard.core.review.leased import less_leased
        from adzeguard.store.leases import Leases

        return less_leased(corrections(rights, charter, self.put_in), Leases(self.database).all())

    def asked_about(self) -> "list[Correction]":
        """Return what an owner can be asked about: each deviation, and each rule that cannot be followed."""
        from adzeguard.core.review.not_followed import not_followed

        found = list(self.corrections())
        return [*found, *not_followed(found)]

    @property
    def trail(self) -> "Trail":
        """What the directory has logged itself, as far as it was read."""
        from adzeguard.store.trail import Trail

        return Trail(self.database)

    @property
    def past(self) -> "Past":
        """What is known of the past, and where from."""
        from adzeguard.workflows.past import AROUND, Past

        # What was logged just before is carried on too: it changes nothing twice, and clocks differ.
        collected = (self.store.last_full() or self.store.latest()).facts.started - AROUND
        return Past(self.estate, self.store, self.trail, self.journal, self.database, collected)

    @property
    def checks(self) -> "list[Check]":
        """The checks that are made here, each as much as it matters here."""
        from adzeguard.core.checks.enabled_checks import enabled_checks

        return enabled_checks(self.settings.checks_off, self.settings.severities)

    @property
    def past_moment(self) -> datetime | None:
        """The moment of the past that is looked at; None for now."""
        return self._moment

    @property
    def looked_from(self) -> datetime:
        """The moment that is looked at: now, or one of the past."""
        return self._moment or self.now()

    def looked_at(self) -> "CheckInput":
        """What checks look at."""
        from adzeguard.core.checks.check_input import CheckInput
        from adzeguard.store.back_links import BackLinks
        from adzeguard.store.leases import Leases
        from adzeguard.store.questions import Waivers

        return CheckInput(
            self.rights,
            self.charter,
            self.privileged,
            self.put_in,
            self.settings.waiting_days,
            self.settings.unread_days,
            self.store.hosts_read_at(),
            Leases(self.database).all(),
            Waivers(self.database).all(),
            self.seen,
            self.looked_from,
            timedelta(days=self.settings.longest_lease_days),
            [(one.group, one.member) for one in BackLinks(self.database).all()],
        )

    @property
    def seen(self) -> "Seen":
        """What the trail tells of the last days, as far as it is about what is privileged."""
        from adzeguard.core.errors import InputError, SettingsError
        from adzeguard.core.estate.logon_hours import read_times
        from adzeguard.workflows.past_members import seen_lately

        settings = self.settings
        try:
            hours = read_times(settings.working_hours) if settings.working_hours else None
        except InputError as error:
            raise SettingsError(f"adzeguard.toml: [checks] working_hours: {error.message}") from error
        now = self.looked_from
        since = now - timedelta(days=settings.past_days)
        offset = now.astimezone().utcoffset() or timedelta()
        return seen_lately(self.past, self.privileged, since, now, hours, offset)

    @property
    def proposer(self) -> "Proposer":
        """In which estate, under which charter and by whom a proposal is made."""
        from adzeguard.workflows.propose import Proposer

        return Proposer(
            self.estate,
            self.privilege,
            lambda: self.guarding_charter,
            self.store.latest().id,
            self.now(),
            self.operator(),
            self.settings.limits,
            self.operator_account,
            self.taken_out,
            self._ending,
            self._comes_in_by,
            self._made_before,
        )

    def _made_before(self) -> "Sequence[Change]":
        """Return what was ever made here."""
        from adzeguard.workflows.journal_rows import done_as_far_as_known

        return done_as_far_as_known(self.journal.rows())

    def proposed(self, draft: "Draft") -> "Proposed":
        """Make a proposal of a draft; `GuardError` where it would do harm."""
        from adzeguard.workflows.propose import proposed

        return proposed(draft, self.proposer)

    def case(self, proposal: "Proposal", named: "NamedSizes", approved_by: str = "") -> "Case":
        """Return what the guards look at before a proposal is enacted."""
        from adzeguard.core.change.guards.case import Case
        from adzeguard.core.review.leased import leased_by_rules
        from adzeguard.workspace.approval_needs import approval_needs

        charter = self.guarding_charter
        return Case(
            self.estate,
            proposal.changes,
            charter,
            self.settings.limits,
            named,
            self.operator_account,
            proposal.impact.reach,
            self.privilege.sids,
            self.taken_out,
            approval_needs(self.settings.approval, self.estate),
            approved_by,
            (*self._ending, *leased_by_rules(self.estate, charter)),
            self._comes_in_by,
            self.store.seen_deleted(),
            [*self.privileged, *charter.keepers],
            self.now(),
            self._made_before,
        )

    @property
    def _ending(self) -> "Sequence[Change]":
        """What is taken away at the ends of leases, those of shifts among them."""
        from adzeguard.store.leases import Leases
        from adzeguard.workflows.leases import ended_in_time

        return ended_in_time(self.estate, Leases(self.database).all())

    @property
    def _comes_in_by(self) -> "Mapping[str, str]":
        r"""By source of hosts, the account of each host's own by which we come to it: `keeper`, or `.\keeper`."""
        named = {source.name: source.given.get("account", "") for source in self.settings.hosts}
        return {
            name: own for name, account in named.items() if "\\" not in (own := account.removeprefix(".\\")) and own
        }

    @property
    def acts_as(self) -> "Mapping[str, str]":
        """The accounts in whose name is written: of the directory, and of the database of a team."""
        return {"bound_as": self.settings.directory.get("bind_as", ""), "database_role": self.database.role}

    @property
    def ends_leases_by_itself(self) -> bool:
        """Whether the directory does, as far as it is asked to. It is asked each time: somebody may switch it on."""
        from adzeguard.directory.port import EndsLinks

        with self.directory() as directory:
            return isinstance(directory, EndsLinks) and directory.link_ends().on

    @cached_property
    def privileged(self) -> "list[Principal]":
        """The groups that control the directory, and those that the workspace names as privileged."""
        from adzeguard.core.access.privileged import privileged_groups
        from adzeguard.workflows.charter import named_principals

        named = named_principals(self.estate, self.settings.privileged, "privileged")
        return privileged_groups(self.estate, named)

    @property
    def taken_out(self) -> "Mapping[str, int]":
        """How many members we took out of each group in the last day, by its SID, less those put back."""
        from adzeguard.workflows.journal_rows import taken_out_of

        return taken_out_of(self.journal.rows(since=self.now() - _A_DAY))

    @property
    def privilege(self) -> "Privilege":
        """The privileged groups, and the rights by which somebody could get into them."""
        from adzeguard.core.change.reach_impact import Privilege
        from adzeguard.core.errors import CharterError

        try:
            return Privilege(self.rights, self.privileged)
        except CharterError:  # the duties of its own, by which rights are called, stand there too
            return Privilege(self.standard_rights, self.privileged)

    @cached_property
    def operator_account(self) -> "Principal | None":
        """The directory account of the operator, where one is known."""
        from adzeguard.core.errors import UsageError
        from adzeguard.core.estate.names import resolve

        try:
            return resolve(self.estate, self.settings.operator) if self.settings.operator else None
        except UsageError:  # a name to bind with need not be one of the directory's accounts
            return None

    def _secret(
        self,
        source: "HostsSettings | TellSettings | SharesSettings | OtherDomainSettings | DomainSettings | None" = None,
    ) -> "Secret":
        """Return what gives the password of the directory, or of what another table connects to."""
        from adzeguard.settings.passwords import (
            password_source,
            password_source_of_domain,
            password_source_of_hosts,
            password_source_of_other_domain,
            password_source_of_shares,
            password_source_of_teller,
        )

        ask = self.frontend.ask_secret
        if source is None:
            return password_source(self.settings, ask)
        if isinstance(source, TellSettings):
            return password_source_of_teller(self.settings, source, ask)
        if isinstance(source, SharesSettings):
            return password_source_of_shares(self.settings, source, ask)
        if isinstance(source, DomainSettings):
            return password_source_of_domain(self.settings, source, ask)
        if isinstance(source, OtherDomainSettings):
            return password_source_of_other_domain(self.settings, source, ask)
        return password_source_of_hosts(self.settings, source, ask)

    @contextmanager
    def directory(self, reading: "Collection[str]" = ()) -> "Iterator[DirectoryDriver]":
        """The directory, connected: of several domains each when it is needed, and those first that are read now."""
        if any(one.given.get("plain_ldap") == "true" for one in self.settings.all_domains):
            self.frontend.say("Warning: plain LDAP sends the password unencrypted")
        with self._closed_in_the_end(self._directory(reading)) as driver:
            yield driver

    def directory_of(self, domain: DomainSettings) -> "AbstractContextManager[DirectoryDriver]":
        """The directory of one of the domains alone, connected."""
        return self._closed_in_the_end(self._opening(domain)())

    @contextmanager
    def _closed_in_the_end(self, driver: "DirectoryDriver") -> "Iterator[DirectoryDriver]":
        try:
            yield driver
        finally:
            for url in getattr(driver, "passed_over", ()):
                self.frontend.say(f"{url} did not answer; {driver.label} did")
            driver.close()

    def _directory(self, reading: "Collection[str]") -> "DirectoryDriver":
        if not self.settings.domains:
            return self._opening(self.settings.all_domains[0])()
        from adzeguard.workspace.domains import several_domains

        return several_domains(self, self._opening, reading)

    def _opening(self, domain: DomainSettings) -> "Callable[[], DirectoryDriver]":
        secret = self._secret(domain if domain.name != self.settings.domain else None)
        table = "directory" if domain.name == ONLY_DOMAIN else domain.table
        return lambda: self._opened("directory", domain.given, secret, table)

    def foreign_namer(self) -> "NamesForeigners | None":
        """Who can say what SIDs of other domains mean, where the settings name a way."""
        from adzeguard.workspace.foreign_namer import namer_of

        return namer_of(self.settings.directory, self._secret())

    @contextmanager
    def hosts(self) -> "Iterator[Fleet]":
        """The hosts, through the sources that the workspace names."""
        from adzeguard.hosts.fleet import Fleet, FleetSource

        sources = []
        for one in self.settings.hosts:
            secret = self._secret(one)
            opened = self._opened("hosts", one.given, secret, one.table)
            sources.append(FleetSource(one.name, one.part, opened, *self._apart(one, secret)))
        fleet = Fleet(sources)
        try:
            yield fleet
        finally:
            fleet.close()

    def tellers(self) -> "AbstractContextManager[dict[str, Teller]]":
        """The ways in which somebody is told, by their names; none is connected before there is something to tell."""
        return self._each_opened(self.settings.tell)

    @contextmanager
    def other_domains(self) -> "Iterator[tuple[OtherDomain, ...]]":
        """The directories of other domains; none is connected before something is asked."""
        from adzeguard.workflows.foreign_members import OtherDomain

        with self._each_opened(self.settings.other_domains) as opened:
            yield tuple(OtherDomain(name, driver) for name, driver in opened.items())

    def share_servers(self) -> "AbstractContextManager[dict[str, SharesDriver]]":
        """The servers of file shares, by their names here; none is connected before something is asked."""
        return self._each_opened(self.settings.shares)

    @contextmanager
    def _each_opened(
        self, sources: "Sequence[TellSettings | SharesSettings | OtherDomainSettings]"
    ) -> "Iterator[dict[str, Any]]":
        """Open each source by its driver, and close in the end what was opened, also where a later one fails."""
        opened: dict[str, Any] = {}
        try:
            for one in sources:
                opened[one.name] = self._opened(one.heading, one.given, self._secret(one), one.table)
            yield opened
        finally:
            for driver in opened.values():
                driver.close()

    @contextmanager
    def servers_of(self, changes: "Iterable[Change]") -> "Iterator[dict[str, SharesDriver]]":
        """The servers that changes of file shares are written to, by their folded names; none where there are none."""
        if not any(change.share_server for change in changes):
            yield {}
            return
        with self.share_servers() as servers:
            yield {server.server.casefold(): server for server in servers.values()}

    @cached_property
    def shared(self) -> "Shared":
        """The file shares, as they were read last."""
        from adzeguard.store.shares import Shares

        return Shares(self.database).load()

    def _apart(self, source: HostsSettings, secret: "Secret") -> "tuple[Callable[[], SourceApart] | None, bool]":
        """Return what makes a source ready to be sent to another process, if it can be, and whether that pays here."""
        from adzeguard.hosts.worker_pool import SourceApart
        from adzeguard.settings.drivers import checked_settings, find_driver

        kind = find_driver("hosts", source.given["kind"], source.table)
        if not kind.in_worker:
            return None, False
        settings = checked_settings(kind, source.table, source.given, self.settings.folder)

        def made() -> "SourceApart":
            word = secret() if kind.asks_secret(settings) else ""
            return SourceApart(source.part, kind.open, tuple(sorted(settings.items())), word)

        return made, kind.is_heavy

    def crew(self, workers: str) -> "WorkerPool | None":
        """Other processes that work with hosts: the workers of a cluster that is named, else those of this machine."""
        if not workers:
            from adzeguard.hosts.processes import Processes

            return Processes()
        try:
            from adzeguard.hosts.cluster import Cluster
        except ModuleNotFoundError as error:
            from adzeguard.core.errors import SettingsError

            raise SettingsError("--workers needs an extra package", "pip install 'adzeguard[cluster]'") from error
        files = {key: str(self.settings.folder / value) for key, value in self.settings.cluster.items()}
        return Cluster(workers, files)

    @cached_property
    def names(self) -> "KnownNames":
        """What hosts that know people by name alone ask."""
        from adzeguard.workflows.names import KnownNames

        return KnownNames(lambda: self.estate)

    def _opened(self, drivers: str, given: Mapping[str, str], secret: "Secret", table: str = "") -> Any:
        """Open the driver that a table of the settings names."""
        from adzeguard.settings.drivers import checked_settings, find_driver

        kind = find_driver(drivers, given["kind"], table)
        settings = checked_settings(kind, table or drivers, given, self.settings.folder)
        return kind.open(settings, secret, self.names)

    def now(self) -> datetime:
        """The time."""
        return clock.now()

    def operator(self) -> str:
        """Who runs the command, as the system knows it."""
        from adzeguard.workflows.operators import operator_now

        return operator_now()
