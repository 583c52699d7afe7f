"""The charter of a workspace against its estate."""

from collections.abc import Iterable, Mapping
from datetime import date

from adzeguard.core.access.keepers import default_keepers
from adzeguard.core.charter.charter import Charter
from adzeguard.core.charter.resolve import ResolvedCharter, resolve_charter
from adzeguard.core.charter.rule import Response
from adzeguard.core.errors import SettingsError, UsageError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.names import resolve
from adzeguard.core.estate.principal import Principal
from adzeguard.core.review.kinds import RULE_KINDS


def resolved_charter(
    charter: Charter,
    estate: Estate,
    day: date,
    response: Response,
    keepers: Iterable[str],
    stood_for: Mapping[str, str],
) -> ResolvedCharter:
    """Resolve the charter, with the keepers that the workspace names or the usual ones."""
    named = named_principals(estate, keepers, "keepers")
    return resolve_charter(charter, RULE_KINDS, estate, day, response, named or default_keepers(estate), stood_for)


def named_principals(estate: Estate, names: Iterable[str], key: str, table: str = "charter") -> list[Principal]:
    """Return what a table of the settings names; `SettingsError` for a name that is none."""
    try:
        return [resolve(estate, name) for name in names]
    except UsageError as error:
        raise SettingsError(f"adzeguard.toml: [{table}] {key}: {error.message}", error.way_out) from error
