"""The table of ways: by which rights over an object somebody could become what it is, or put themselves into it.

A further way is a row here and nothing else; the guide lists them all, with what each means.
"""

import uuid
from collections.abc import Callable, Sequence
from typing import Final

from adzeguard.core.descriptors.ace import Right
from adzeguard.core.estate.principal import ACCOUNTS, CONTAINERS, Kind
from adzeguard.core.rights.evaluate import Question
from adzeguard.core.rights.questions import attribute_levels, reading
from adzeguard.core.rights.schema import LOCAL_PASSWORDS, Schema
from adzeguard.core.values import dataclass

Asks = Callable[[Schema, uuid.UUID | None], tuple[Question, ...]]
"""From the schema and the class of an object, the questions that must all be answered with yes."""

_GROUPS: Final = frozenset({Kind.GROUP})
_ANYTHING: Final = frozenset(Kind)


@dataclass(frozen=True, slots=True)
class Way:
    """One way to take an object over: a sentence of who may do it to what, over which kinds, and what it asks for."""

    sentence: str
    over: frozenset[Kind]
    asks: Asks
    source: str
    in_use: bool | None = None
    """Over groups: only where the group gives access, only where it does not, or both."""
    from_inside: bool = False
    """Only for those who are in the group already."""
    kept_in: str = ""
    """Only over objects that hold something in this attribute."""


def _writing(*attributes: str) -> Asks:
    """Write all of these attributes."""
    return lambda schema, own: tuple(
        Question(Right.WRITE_PROPERTY, attribute_levels(schema, a, own)) for a in attributes
    )


def _reading_where_known(attribute: str) -> Asks:
    """Read an attribute; nothing is asked where the schema was never extended with it."""
    return lambda schema, own: reading(schema, attribute, own) if attribute in schema.attributes else ()


def _using(*rights: str) -> Asks:
    """Use all of these control rights."""
    return lambda schema, own: tuple(
        Question(Right.CONTROL_ACCESS, tuple(g for g in (schema.control_rights[r], own) if g)) for r in rights
    )


def _joining(schema: Schema, own: uuid.UUID | None) -> tuple[Question, ...]:
    about = (schema.validated_writes["Self-Membership"], own)
    return (Question(Right.SELF_WRITE, tuple(guid for guid in about if guid)),)


def _turned_first(then: Asks) -> Asks:
    """Turn a group that is for mail alone into one for access, and then go on."""
    return lambda schema, own: (*_writing("groupType")(schema, own), *then(schema, own))


MEMBERS: Final = Way("{} may change the members of {}", _GROUPS, _writing("member"), "[MS-ADTS] 3.1.1.5.3.2", True)
JOINING: Final = Way("{} may put themselves into {}", _GROUPS, _joining, "[MS-ADTS] 3.1.1.5.3.1.1.5", True)
TURNING: Final = Way(
    "{} may make {} a security group and change its members",
    _GROUPS,
    _turned_first(_writing("member")),
    "[MS-ADTS] 2.2.12",
    False,
)
TURNING_TO_JOIN: Final = Way(
    "{} may make {} a security group and put themselves into it",
    _GROUPS,
    _turned_first(_joining),
    "[MS-ADTS] 2.2.12",
    False,
)
TURNING_FROM_INSIDE: Final = Way(
    "{}, being in it, may make {} a security group",
    _GROUPS,
    _writing("groupType"),
    "[MS-ADTS] 2.2.12",
    False,
    from_inside=True,
)
PASSWORD: Final = Way(
    "{} may reset the password of {}", ACCOUNTS, _using("User-Force-Change-Password"), "[MS-ADTS] 3.1.1.3.1.5.1"
)
OTHER_NAMES: Final = Way(
    "{} may let a certificate of theirs sign in as {}", ACCOUNTS, _writing("altSecurityIdentities"), "[MS-PKCA] 3.1.5"
)
KEYS: Final = Way(
    "{} may add a key that signs in as {}", ACCOUNTS, _writing("msDS-KeyCredentialLink"), "[MS-ADTS] 2.2.20"
)
ACTING: Final = Way(
    "{} may say who acts for anybody towards {}",
    ACCOUNTS,
    _writing("msDS-AllowedToActOnBehalfOfOtherIdentity"),
    "[MS-SFU] 3.2.5.2",
)
SIGN_IN: Final = Way(
    "{} may change how {} signs in", ACCOUNTS, _writing("userAccountControl"), "[MS-ADTS] 2.2.16, [MS-KILE] 3.3.5.6"
)
SCRIPT: Final = Way(
    "{} may set what runs when {} logs on", frozenset({Kind.USER}), _writing("scriptPath"), "[MS-ADA3] 2.231"
)
FOLDER: Final = Way(
    "{} may change what the policy {} does",
    frozenset({Kind.POLICY}),
    _writing("gPCFileSysPath"),
    "[MS-GPOL] 2.2.4",
)
REPLICATING: Final = Way(
    "{} may replicate the secrets of {}",
    frozenset({Kind.DOMAIN}),
    _using("DS-Replication-Get-Changes-All", "DS-Replication-Get-Changes"),
    "[MS-DRSR] 4.1.10.5.2",
)
RIGHTS: Final = Way(
    "{} may change the rights over {}", _ANYTHING, lambda _s, _o: (Question(Right.WRITE_DAC),), "[MS-ADTS] 5.1.3.2"
)
OWNER: Final = Way(
    "{} may take the ownership of {}", _ANYTHING, lambda _s, _o: (Question(Right.WRITE_OWNER),), "[MS-ADTS] 5.1.3.2"
)

LOCAL_PASSWORD: Final[Sequence[Way]] = tuple(
    Way(
        "{} may read the password of the local administrator of {}",
        frozenset({Kind.COMPUTER}),
        _reading_where_known(name),
        "[MS-ADTS] 3.1.1.4.4",
        kept_in=name,
    )
    for name in LOCAL_PASSWORDS
)

WAYS: Final[Sequence[Way]] = (
    MEMBERS,
    JOINING,
    TURNING,
    TURNING_TO_JOIN,
    TURNING_FROM_INSIDE,
    PASSWORD,
    OTHER_NAMES,
    KEYS,
    ACTING,
    SIGN_IN,
    SCRIPT,
    FOLDER,
    REPLICATING,
    RIGHTS,
    OWNER,
    *LOCAL_PASSWORD,
)

LINKING: Final = Way(
    "{} may link directory policies to {}", CONTAINERS | {Kind.SITE}, _writing("gPLink"), "[MS-GPOL] 2.2.2, 3.2.5.1.5"
)
"""No way to the container itself: only to the accounts in it, to which all that is linked there applies."""

LETTING_ACT: Final = Way(
    "{} may let an account act in the name of anybody towards the servers of {}",
    ACCOUNTS,
    _writing("userAccountControl", "msDS-AllowedToDelegateTo"),
    "[MS-SFU] 3.2.5.2.3, [MS-ADTS] 3.1.1.5.3.2",
)
"""Asked of those alone who hold a privilege beside these rights; it leads to the domain, and not to the account."""

OWNS: Final = "{} owns {}"
MEMBER: Final = "{} is a member of {}"
PRIMARY: Final = "{} has {} as its primary group"
INHERITS: Final = "{} hands its rights on to {}"
MOVING: Final = "{} may move {} to where more is theirs"
MOVING_AS: Final = "{} may move {}"
"""With who moves and who has more where it goes, which are two: whoever is both."""
HOLDS: Final = "{} gives out every secret, and with it {}"
SERVES: Final = "{} is a directory server of {}"
LINKED: Final = "{} has policies that apply to {}"
APPLIES: Final = "{} is a policy that applies to {}"
COULD_APPLY: Final = "{} is a policy that could be made to apply to {}"

ACTS: Final = "{} acts in the name of anybody towards {}"
"""An account with TRUSTED_TO_AUTH_FOR_DELEGATION that names a service of the host ([MS-SFU] 3.2.5.2.3)."""
ACTED_FOR: Final = "{} is let act in the name of anybody towards {}"
"""By msDS-AllowedToActOnBehalfOfOtherIdentity of the host or account ([MS-SFU] 3.2.5.2.3); Samba 4.17 refuses it."""
READS: Final = "{} is given the password of {}"
"""By msDS-GroupMSAMembership of a managed account ([MS-ADTS] 3.1.1.4.5.39)."""
TEMPLATE: Final = "{} hands the rights over it down to {}"
"""The object whose rights all privileged ones are given again and again ([MS-ADTS] 3.1.1.6.1.2)."""
BY_ATTRIBUTE: Final = frozenset({ACTS, ACTED_FOR, READS})
"""What an attribute of an account gives: emptied, the way is gone."""

ADMINISTERS: Final = "{} administers {}"
SEES: Final = "{} saw {} log on"
"""A host, and somebody who left a password or a ticket on it."""

OVER_HOSTS: Final = frozenset({ADMINISTERS, SEES})
"""The passages that go through hosts. A local group, or a refusal of logon, closes one of them."""

PASSAGES: Final[Sequence[str]] = (
    OWNS,
    MEMBER,
    PRIMARY,
    INHERITS,
    MOVING,
    MOVING_AS,
    HOLDS,
    SERVES,
    LINKED,
    APPLIES,
    COULD_APPLY,
    ACTS,
    ACTED_FOR,
    READS,
    TEMPLATE,
    ADMINISTERS,
    SEES,
)
"""How one object leads to another without an entry that gives a right over it."""
