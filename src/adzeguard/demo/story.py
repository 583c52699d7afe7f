"""The guided walk through the example: what each step does, and why."""

from typing import Final

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Step:
    """One command of the walk. `shown` is how many lines of its output are shown."""

    why: str
    command: tuple[str, ...]
    shown: int = 14


STEPS: Final = (
    Step(
        "First everything is read: the directory, and the local groups of 64 hosts. Two are switched off.",
        ("collect",),
    ),
    Step(
        "Who controls the domain? Nested groups and primary groups are followed to the last member.",
        ("who", r"LOWMERE\Domain Admins"),
        20,
    ),
    Step(
        "Why is a night officer of the bridge among them?",
        ("why", r"LOWMERE\orla.fenn", "--in", r"LOWMERE\Domain Admins"),
    ),
    Step(
        "A host has two doors: a group inside its administrators, and a direct entry. Both are shown.",
        ("who", "--on", "KIOSK-07"),
        18,
    ),
    Step("Who administers how many hosts?", ("who", "--hosts", "--at-least", "3"), 14),
    Step("What deviates from the charter, worst first?", ("check", "--severity", "medium"), 24),
    Step(
        "Some are not inside, but could put themselves inside by the rights they hold. What is the least to take away?",
        ("reach", r"LOWMERE\Domain Admins", "--cut"),
        16,
    ),
    Step(
        "What would put it right, and who would lose and gain by it? Nothing is changed yet.",
        ("propose", "--output", "monday.json"),
        40,
    ),
    Step(
        "Now it is done. Every value is read again before and after, and stands in the journal.",
        ("enact", "monday.json", "--yes", "--format", "csv"),
        8,
    ),
    Step("Once more: nothing is left to put right.", ("propose",)),
    Step(
        "What only tells is still there, for its owner to decide.",
        ("check", "--rule", "break-glass-stays-empty"),
    ),
    Step(
        "A round does by itself what is to be done, and asks the owners about what only they can say.",
        ("round",),
    ),
    Step("What waits for an answer?", ("questions",), 16),
    Step(
        "The drill goes on for two weeks: it is left as it is until then, and asked again.",
        ("questions", "answer", "Q1", "--leave-until", "2w", "--why", "the drill goes on until then"),
    ),
    Step(
        "Somebody needs access for two hours: a lease ends by itself.",
        ("lease", "start", "roan.pell", r"LOWMERE\Chart Editors", "--for", "2h", "--why", "storm charts", "--yes"),
        10,
    ),
    Step(
        "The directory keeps a log of its own. It is read once; what is read again adds nothing.",
        ("trail", "import", "trail.jsonl"),
    ),
    Step(
        "Who was put among the domain's administrators out of hours, also by way of a group inside them?",
        ("history", r"LOWMERE\Domain Admins", "--outside", "Mon-Fri 07:00-19:00"),
    ),
    Step(
        "Some get in without being inside: a host's administrators have what was left there. What closes most of it?",
        ("report", "ways"),
        18,
    ),
    Step("And the record of it all, as a chain that shows if somebody changes it.", ("journal", "verify")),
)

AFTERWARDS: Final = (
    r"adzeguard why 'LOWMERE\pontus.reil' --on KIOSK-15",
    "adzeguard show KIOSK-15",
    "adzeguard show CONSOLE-09",
    r"adzeguard who 'LOWMERE\North Quay Rota'",
    "adzeguard grant list",
    "adzeguard may hedda.morrow password-help cato.lune",
    "adzeguard stale",
    "adzeguard collect --shares",
    "adzeguard uses 'Ledger Archive'",
    "adzeguard check --format csv --output findings.csv",
    "adzeguard journal",
)
