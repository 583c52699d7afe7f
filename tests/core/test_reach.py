"""Who reaches a group agrees with who may do what leads there, denials among the entries."""

from dataclasses import replace

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from adzeguard.core.descriptors.ace import Ace, AceKind, Right
from adzeguard.core.descriptors.descriptor import Descriptor
from adzeguard.core.estate.estate import Estate
from adzeguard.core.identity import Sid
from adzeguard.core.rights.evaluate import Question, decide
from adzeguard.core.rights.reach import ReachFinder
from adzeguard.core.rights.reach_graph import EVERYBODY
from adzeguard.core.rights.reach_words import first_right
from adzeguard.core.rights.ways import (
    ACTING,
    JOINING,
    KEYS,
    MEMBERS,
    OTHER_NAMES,
    OWNER,
    PASSWORD,
    RIGHTS,
    SCRIPT,
    SIGN_IN,
)
from adzeguard.directory.schema import standard_schema
from tests.estates import DOMAIN, NOON, directory, rights_of, sid_of

PEOPLE = ("ada", "bob", "cem", "dan", "eva")
GROUPS = {"Crew": ["ada", "bob"], "Night": ["cem"], "Yard": ["bob", "Night"], "Target": []}
WHOLE = directory(PEOPLE, GROUPS)
SIDS = [sid_of(WHOLE, name) for name in (*PEOPLE[:4], "Crew", "Night", "Yard")]
EVERYONE = [Sid("S-1-1-0"), Sid("S-1-5-11")]
INSIDE = {"ada": ("Crew",), "bob": ("Crew", "Yard"), "cem": ("Night", "Yard"), "dan": (), "eva": ()}
SCHEMA = standard_schema()
MEMBER, MEMBER_SET = SCHEMA.attributes["member"]
RESET = SCHEMA.control_rights["User-Force-Change-Password"]
JOIN = SCHEMA.validated_writes["Self-Membership"]
GROUP, USER = SCHEMA.classes["group"], SCHEMA.classes["user"]
SIGNING_IN = {
    OTHER_NAMES: "altSecurityIdentities",
    KEYS: "msDS-KeyCredentialLink",
    ACTING: "msDS-AllowedToActOnBehalfOfOtherIdentity",
    SIGN_IN: "userAccountControl",
    SCRIPT: "scriptPath",
}


def _writing(attribute: str) -> Question:
    return Question(Right.WRITE_PROPERTY, tuple(g for g in (*SCHEMA.attributes[attribute], USER) if g))


WAYS = {
    "Target": {
        MEMBERS.sentence: Question(Right.WRITE_PROPERTY, tuple(g for g in (MEMBER, MEMBER_SET, GROUP) if g)),
        JOINING.sentence: Question(Right.SELF_WRITE, (JOIN, GROUP)),
        RIGHTS.sentence: Question(Right.WRITE_DAC),
        OWNER.sentence: Question(Right.WRITE_OWNER),
    },
    "eva": {
        **{way.sentence: _writing(attribute) for way, attribute in SIGNING_IN.items()},
        PASSWORD.sentence: Question(Right.CONTROL_ACCESS, (RESET, USER)),
        RIGHTS.sentence: Question(Right.WRITE_DAC),
        OWNER.sentence: Question(Right.WRITE_OWNER),
    },
}
MASKS = [int(r) for r in (Right.WRITE_PROPERTY, Right.SELF_WRITE, Right.WRITE_DAC, Right.WRITE_OWNER)]
MASKS += [int(Right.CONTROL_ACCESS), int(Right.GENERIC_ALL), int(Right.WRITE_DAC | Right.WRITE_PROPERTY)]


@st.composite
def entries(draw: st.DrawFn) -> Ace:
    """An entry that gives or denies one of the ways in, or something beside it."""
    about = draw(
        st.sampled_from(
            [
                None,
                None,
                MEMBER,
                RESET,
                JOIN,
                GROUP,
                SCHEMA.attributes["title"][0],
                *(SCHEMA.attributes[a][0] for a in SIGNING_IN.values()),
            ]
        )
    )
    kinds = (AceKind.ALLOW, AceKind.DENY) if about is None else (AceKind.ALLOW_OBJECT, AceKind.DENY_OBJECT)
    return Ace(
        draw(st.sampled_from(kinds)), 0, draw(st.sampled_from(MASKS)), draw(st.sampled_from([*SIDS, *EVERYONE])), about
    )


def _token(name: str) -> frozenset[str]:
    return frozenset({sid_of(WHOLE, name), *EVERYONE, *(sid_of(WHOLE, group) for group in INSIDE[name])})


@given(st.sampled_from(["Target", "eva"]), st.lists(entries(), max_size=6))
@settings(max_examples=250)
def test_whoever_stands_right_behind_an_object_may_do_what_is_said_and_nobody_else(
    name: str, given_entries: list[Ace]
) -> None:
    """For each way in, the people behind the object are exactly those whom their whole token lets do it."""
    [target] = WHOLE.objects.by_name(name)
    packed = Descriptor(None, None, None).with_entries(given_entries)
    rows = np.where(np.arange(WHOLE.objects.size) == target, 0, -1).astype(np.int32)
    objects = replace(WHOLE.objects, descriptors_of=rows, descriptor_bytes=(packed.to_bytes(),))
    rights = rights_of(Estate(NOON, DOMAIN, objects, WHOLE.graph))
    graph = ReachFinder(rights).graph(target)
    ids = {p: WHOLE.objects.by_name(p)[0] for p in PEOPLE}
    allowed = {
        p: {how for how, question in WAYS[name].items() if decide(packed, _token(p), "", question).allowed}
        for p in PEOPLE
        if p != name
    }

    everybody = EVERYBODY in graph.behind()
    assert not everybody or all(allowed.values())
    for person, ways in allowed.items():
        behind = ids[person] in graph.behind()
        assert behind == bool(ways) or everybody, (person, ways)
        assert not behind or first_right(graph.chain(ids[person])).how in ways
