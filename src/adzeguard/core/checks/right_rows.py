"""Rows of the table of checks: who is privileged, and who holds which rights."""

from typing import Final

from adzeguard.core.check_row import Severity
from adzeguard.core.checks.accounts import without_a_place
from adzeguard.core.checks.check import Check
from adzeguard.core.checks.delegation import check_descriptors, check_grants, check_inheritance, check_ways_up
from adzeguard.core.checks.privileged import check_privileged
from adzeguard.core.review.evidence import CHAIN, GRANT

RIGHT_CHECKS: Final[tuple[Check, ...]] = (
    Check(
        "membership-ring",
        "A privileged group contains itself through others",
        "Every member of the ring is a member of each of its groups, so that the lists do not say who is privileged.",
        "Take one of the links out: adzeguard group remove GROUP MEMBER",
        Severity.HIGH,
        check_privileged,
    ),
    Check(
        "disabled-member",
        "A disabled account is still in a privileged group",
        "Anyone who enables it again gives its privileges back with it.",
        "Take it out: adzeguard group remove GROUP MEMBER",
        Severity.MEDIUM,
        check_privileged,
        evidence=CHAIN,
    ),
    Check(
        "primary-group-member",
        "Somebody is privileged by their primary group",
        "No list of members shows them.",
        "Take them out, which gives them another primary group first: adzeguard group remove GROUP MEMBER",
        Severity.HIGH,
        check_privileged,
        evidence=CHAIN,
    ),
    Check(
        "deep-member",
        "Somebody is privileged through several nested groups",
        "Who changes any group on the way decides who is privileged.",
        "See the chain: adzeguard why WHO --in GROUP",
        Severity.MEDIUM,
        check_privileged,
        evidence=CHAIN,
    ),
    Check(
        "without-place",
        "Something lies in a container that every domain begins with",
        "No directory policy of an OU reaches it there.",
        "Put it where its neighbours are: adzeguard move NAME OU",
        Severity.LOW,
        without_a_place,
        evidence=("suggested", "dn"),
    ),
    Check(
        "stale-grant",
        "A grant is to somebody who does not exist any more",
        "It says nothing to people, and gives everything back to anyone who gets the SID again.",
        "Withdraw it: adzeguard grant withdraw SID --over OBJECT",
        Severity.MEDIUM,
        check_grants,
        evidence=GRANT,
    ),
    Check(
        "grant-to-everybody",
        "A grant is to everybody",
        "Whatever account somebody breaks into, they may do this.",
        "Withdraw it, and give it to the group that needs it: adzeguard grant withdraw WHO --over OBJECT",
        Severity.HIGH,
        check_grants,
        evidence=GRANT,
    ),
    Check(
        "grant-to-person",
        "A grant is to a person instead of a group",
        "It stays with them when they change jobs, and nobody else sees it.",
        "Give it to a group instead: adzeguard grant give GROUP DUTY --over OBJECT",
        Severity.LOW,
        check_grants,
        evidence=GRANT,
    ),
    Check(
        "undocumented-grant",
        "A grant stands that no rule says",
        "Nobody knows any more why it was given, or that it was.",
        "Write it down, or withdraw it: adzeguard grant document",
        Severity.MEDIUM,
        check_grants,
        evidence=GRANT,
    ),
    Check(
        "damaged-descriptor",
        "The rights over an object cannot be read",
        "Nothing is known of who may do what to it.",
        "Look at it with the directory's own tools, and give it its rights again",
        Severity.HIGH,
        check_descriptors,
    ),
    Check(
        "late-denial",
        "A denial stands behind what it should win over",
        "The first entry that answers decides, so that the denial does not hold.",
        "Give the denial again, which puts it in its place: adzeguard grant deny WHO DUTY --over OBJECT",
        Severity.MEDIUM,
        check_descriptors,
    ),
    Check(
        "could-take-over",
        "Somebody could make themselves a member of a privileged group",
        "Who holds such a right is privileged without being listed anywhere.",
        "See the ways and the smallest cut: adzeguard reach GROUP --cut",
        Severity.HIGH,
        check_ways_up,
        evidence=("chain", "people"),
    ),
    Check(
        "former-privileged",
        "Something was privileged once and still carries the mark",
        "It goes on taking no rights from above, so that grants over its OU miss it.",
        "Take adminCount away and let it take rights from above again",
        Severity.LOW,
        check_inheritance,
    ),
    Check(
        "open-to-inheritance",
        "A privileged account takes rights from the OU above",
        "Anyone who has rights over that OU reaches it.",
        "Move it into an OU of its own, over which nobody else has rights: adzeguard move NAME OU",
        Severity.LOW,
        check_inheritance,
    ),
    Check(
        "closed-to-inheritance",
        "Something that is not privileged takes no rights from above",
        "Grants over its OU miss it.",
        "Let it take rights from above again",
        Severity.LOW,
        check_inheritance,
    ),
)
