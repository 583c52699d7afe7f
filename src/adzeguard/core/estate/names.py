"""From the names people type to one object, or to a clear no: between two candidates nothing is ever guessed."""

from collections.abc import Iterable
from typing import Final

from adzeguard.core.errors import AmbiguousNameError, UnknownNameError
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.hosts import Host, HostState, SearchableHosts
from adzeguard.core.estate.named import Named
from adzeguard.core.estate.objects import outsider
from adzeguard.core.estate.principal import Flag, Kind, Principal
from adzeguard.core.identity import Sid, looks_like_sid, parent_dn
from adzeguard.core.wellknown import BUILTIN_AUTHORITY, WELL_KNOWN, local_group_name
from adzeguard.core.wording import near_names

_CANDIDATES_SHOWN = 12
_SHORTEST_PIECE = 3
WELL_KNOWN_PREFIX = "well-known"
BUILTIN_PREFIX = "BUILTIN"
_WITH_A_DOLLAR: Final = (Kind.COMPUTER, Kind.TRUST, Kind.SERVICE)


def resolve(estate: Estate, typed: str) -> Principal:
    r"""Return the one object that the typed name means.

    Understood are SIDs, distinguished names (with or without the base), DOMAIN\name, name@domain, well-known\name
    and a whole bare name that nothing else bears, no local group of a host either. A part of a name is never enough:
    the error lists what it could mean. Raises `UnknownNameError` or `AmbiguousNameError`.
    """
    found = lookup_qualified(estate, typed) if is_qualified(typed) else _bare(estate, typed)
    if len(found) == 1:
        return found[0]
    if found:
        raise AmbiguousNameError(
            f"'{typed}' is the name of {len(found)} objects:\n{candidate_lines(found)}",
            "Name one by its SID or DN",
        )
    raise _unknown(estate, typed)


def is_qualified(typed: str) -> bool:
    """Tell whether the text says where its name stands."""
    return "\\" in typed or "@" in typed or "=" in typed or looks_like_sid(typed)


def lookup_qualified(estate: Estate, typed: str) -> list[Principal]:
    """Return what a qualified name stands for: nothing, one object, or several."""
    catalogue, domain = estate.catalogue, estate.domain
    if looks_like_sid(typed):
        sid = Sid.parse(typed)
        found = estate.id_of_sid(sid)
        return [estate.principal(found)] if found is not None else [outsider(sid)]
    # A DN has its first sign of equality before any backslash: an account can be called "=x", and is asked for by it.
    if "=" in typed.partition("\\")[0]:
        by_dn = catalogue.by_dn(domain.full_dn(typed))
        return [estate.principal(by_dn)] if by_dn is not None else []
    if "\\" in typed:
        authority, _, name = typed.partition("\\")
        return _of_authority(estate, authority.casefold(), name)
    name, _, of_domain = typed.rpartition("@")
    by_upn = catalogue.by_user_principal_name(typed)
    if not by_upn and domain.called(of_domain) is not None:
        return _of_authority(estate, of_domain.casefold(), name)
    return list(catalogue.principals(by_upn).values())


def _of_authority(estate: Estate, authority: str, name: str) -> list[Principal]:
    if authority == WELL_KNOWN_PREFIX:
        known = WELL_KNOWN.get(name.casefold())
        return [outsider(known)] if known else []
    if authority == BUILTIN_PREFIX.casefold():
        return [p for p in _accounts(estate, name) if p.sid and p.sid.authority == BUILTIN_AUTHORITY]
    domain = estate.domain.called(authority)
    if domain is not None:
        # In a domain beside the first one its built-in groups are called as all others are, so that they differ.
        given_out = {domain.sid, domain.builtin} - {BUILTIN_AUTHORITY}
        return [p for p in _accounts(estate, name) if p.sid and p.sid.authority in given_out]
    whole = rf"{authority}\{name.casefold()}"
    return [p for p in estate.of_other_domains.values() if p.qualified_name.casefold() == whole]


def _accounts(estate: Estate, name: str) -> list[Principal]:
    """Objects with this account name; a trailing $ says that a computer is meant, or a trust."""
    computer = name.endswith("$")
    found = estate.catalogue.principals(estate.catalogue.by_name(name.removesuffix("$"))).values()
    return [p for p in found if p.sid and p.kind != Kind.FOREIGN and (p.kind in _WITH_A_DOLLAR or not computer)]


def _bare(estate: Estate, typed: str) -> list[Principal]:
    found = list(estate.catalogue.principals(estate.catalogue.by_name(typed.removesuffix("$"))).values())
    if typed.endswith("$"):
        found = [p for p in found if p.kind in _WITH_A_DOLLAR]
    twins = hosts_with_local_group(estate, typed)
    if len(found) > 1 and estate.domain.others:
        found = _of_first_domain(estate, found)
    if found and twins:
        lines = candidate_lines(found) + "\n" + _twin_line(typed, twins)
        raise AmbiguousNameError(
            f"'{typed}' is the name of a directory object and of a local group:\n{lines}",
            rf"Write {found[0].qualified_name} for the directory's, or --on HOST for a host's",
        )
    return found


def _of_first_domain(estate: Estate, found: list[Principal]) -> list[Principal]:
    """Of objects of one name in several domains those of the first one are meant, as before it had others beside it."""
    first = [p for p in found if estate.domain.holding(p.dn) is estate.domain]
    return first if len(first) == 1 else found


def hosts_with_local_group(estate: Estate, name: str) -> list[Host]:
    """Return the hosts that have a local group of this name."""
    if isinstance(estate.hosts, SearchableHosts):
        return estate.hosts.with_local_group(name)
    wanted = name.casefold()
    return [h for h in estate.hosts if h.state and any(g.name.casefold() == wanted for g in h.state.groups)]


def _twin_line(name: str, hosts: list[Host]) -> str:
    named = ", ".join(host.name for host in hosts[:3]) + (" …" if len(hosts) > 3 else "")  # noqa: PLR2004 - a taste
    return f"  {name} (local group on {len(hosts)} host{'s' * (len(hosts) != 1)}: {named})"


def foreigners_like(estate: Estate, part: str) -> list[Principal]:
    """Return those of other domains whose name has this text in it, by name."""
    wanted = part.casefold()
    found = (one for one in estate.of_other_domains.values() if wanted in one.qualified_name.casefold())
    return sorted(found, key=lambda one: one.qualified_name.casefold())


def _unknown(estate: Estate, typed: str) -> UnknownNameError | AmbiguousNameError:
    local, part = typed.rpartition("\\")[::2] if "\\" in typed else ("", typed.partition("@")[0])
    if estate.domain.called(local) is None and any(
        local.casefold() in (trust.short_name.casefold(), trust.partner.casefold()) for trust in estate.trusts
    ):
        near = [one.qualified_name for one in foreigners_like(estate, part)]
        known = f"Known here are: {', '.join(near[:_CANDIDATES_SHOWN])}" if near else "Give the SID"
        return UnknownNameError(f"this directory knows nobody of {local} as '{part}'", known)
    candidates = suggestions(estate, part)
    twins = hosts_with_local_group(estate, part)
    if candidates or twins:
        lines = [candidate_lines(candidates)] if candidates else []
        lines += [_twin_line(part, twins)] if twins else []
        return AmbiguousNameError(
            f"nothing is called exactly '{typed}'; this comes near:\n" + "\n".join(lines),
            "Give the whole name",
        )
    if local and local.casefold() not in _authorities(estate):
        ours = ", ".join(rf"{one.short_name}\…" for one in estate.domain.all)
        return UnknownNameError(f"'{typed}': there is no domain '{local}' here", f"This directory is {ours}")
    return UnknownNameError(f"nothing in the directory is called '{typed}'", "Try: adzeguard find PART-OF-THE-NAME")


def _authorities(estate: Estate) -> set[str]:
    ours = (name.casefold() for one in estate.domain.all for name in (one.short_name, one.dns_name))
    return {*ours, BUILTIN_PREFIX.casefold(), WELL_KNOWN_PREFIX}


def suggestions(estate: Estate, part: str) -> list[Principal]:
    """Return the objects whose names contain the text; where none does, those whose names begin or end like it."""
    catalogue = estate.catalogue
    for piece in _pieces(part):
        found = catalogue.principals(catalogue.containing(piece, 200))
        if found:
            near = near_names(part, (p.name for p in found.values()), _CANDIDATES_SHOWN, 0.0)
            ranked = sorted(found.values(), key=lambda p: (near.index(p.name) if p.name in near else len(near), p.name))
            return ranked[:_CANDIDATES_SHOWN]
    return []


def _pieces(part: str) -> list[str]:
    """The text itself, then its beginning and its end, shorter and shorter; one or two letters suggest everything."""
    sizes = dict.fromkeys((len(part) // 2 + 1, _SHORTEST_PIECE))
    pieces = [part] + [piece for size in sizes for piece in (part[:size], part[-size:])]
    return [piece for piece in pieces if len(piece) >= _SHORTEST_PIECE or piece == part != ""]


def candidate_lines(found: Iterable[Principal]) -> str:
    """Return one line for each candidate: its name, its kind and where it stands."""
    return "\n".join(f"  {p.qualified_name} ({p.label} in {parent_dn(p.dn) or 'no container'})" for p in found)


def resolve_host(estate: Estate, typed: str) -> Host:
    """Return the host of this name, with or without its domain; `UnknownNameError` lists what comes near."""
    name = typed.rpartition("\\")[2].removesuffix("$")
    host = estate.host_named(name) or estate.host_named(name.partition(".")[0])
    if host:
        return host
    near = near_names(name.casefold(), estate.hosts_by_name, 5, 0.5)
    near += [folded for folded in sorted(estate.hosts_by_name) if name.casefold() in folded and folded not in near][:5]
    known = [estate.hosts_by_name[folded].name for folded in near]
    way_out = f"Near are: {', '.join(known)}" if known else "Try: adzeguard find --kind computer"
    raise UnknownNameError(f"there is no host '{typed}'", way_out)


def on_host(estate: Estate, state: HostState, host_name: str, sids: Iterable[Sid]) -> dict[Sid, Principal]:
    """Return what SIDs mean on one host: its own accounts first, then the directory, then the well-known ones."""
    wanted = set(sids)
    of_accounts, of_groups = state.among(wanted)
    own, groups = {one.sid: one for one in of_accounts}, {one.sid: one for one in of_groups}
    elsewhere = estate.who_are(wanted - own.keys() - groups.keys())
    found: dict[Sid, Principal] = {}
    for sid in sorted(wanted):
        if sid in own:
            account = own[sid]
            found[sid] = local_principal(host_name, account.name, sid, Kind.LOCAL_ACCOUNT, enabled=account.enabled)
        elif sid in groups:
            found[sid] = local_principal(host_name, groups[sid].name, sid, Kind.LOCAL_GROUP)
        else:
            found[sid] = elsewhere[sid]
    return found


def local_principal(host_name: str, name: str, sid: Sid, kind: Kind, *, enabled: bool = True) -> Principal:
    """Return an account or group of a host itself."""
    return Principal(-1, kind, name, rf"{host_name}\{name}", sid, "", Flag.ENABLED if enabled else Flag(0))


def local_group_label(name: str, sid: str) -> str:
    """Return our name of a well-known local group, else the host's own."""
    return local_group_name(sid) or name


def host_named(host: Host) -> Named:
    """Name a host by its account in the directory."""
    return Named(host.name, host.sid, host.dn)


def local_group_named(host: Host, name: str, sid: str) -> Named:
    """Name a local group. The SID of a well-known one is the same on every host: the host must be named beside it."""
    return Named(rf"{host.name}\{local_group_label(name, sid)}", sid)
