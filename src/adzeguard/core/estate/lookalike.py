"""Names that look like others: letters of several scripts in one word, signs that nobody sees, one letter for another.

After the Unicode Security Mechanisms (UTS 39): section 4 for what looks alike, section 5 for mixed scripts.
"""

import re
import unicodedata
from collections.abc import Iterable, Mapping
from functools import cache
from typing import Final

from adzeguard.core.estate.confusable_letters import LOOKING_LIKE
from adzeguard.core.estate.estate import Estate
from adzeguard.core.estate.principal import Principal

_WORD: Final = re.compile(r"[^\W\d_]+")
_TOGETHER: Final = (
    frozenset({"LATIN", "CJK", "HIRAGANA", "KATAKANA"}),
    frozenset({"LATIN", "CJK", "BOPOMOFO"}),
    frozenset({"LATIN", "CJK", "HANGUL"}),
)
"""Scripts that are written together by habit (UTS 39 section 5.2, highly restrictive)."""
_ONE_FOR_ANOTHER: Final = str.maketrans({"1": "l", "i": "l", "|": "l", "0": "o"})


def in_ascii(name: str) -> str:
    """Return what a name looks like in the letters of ASCII, as far as it does."""
    if name.isascii():
        return name
    return unicodedata.normalize("NFKC", _seen(name)).translate(_table())


def skeleton(name: str) -> str:
    """Return what is the same for all names that look the same, in whatever case: of l, I, 1 and i too."""
    folded = in_ascii(name).casefold().translate(_ONE_FOR_ANOTHER)
    return folded.replace("rn", "m").replace("vv", "w")


def odd_letters(name: str) -> list[str]:
    """Return the letters of a name that stand in a word of another script, and the signs that nobody sees."""
    if name.isascii():
        return []
    odd = [one for one in name if unicodedata.category(one) in ("Cf", "Co", "Cn")]
    for word in _WORD.findall(name):
        scripts = {one: _script(one) for one in word}
        kinds = set(scripts.values())
        if len(kinds) > 1 and not any(kinds <= some for some in _TOGETHER):
            usual = max(sorted(kinds), key=lambda kind: sum(scripts[one] == kind for one in word))
            odd += [one for one in word if scripts[one] != usual]
    return list(dict.fromkeys(odd))


def marked(name: str) -> str:
    """Return a name with the letters that are not what they look like in brackets, and what they are."""
    out_of_place = odd_letters(name)
    odd = [one for one in dict.fromkeys(name) if one in out_of_place or (not one.isascii() and one != in_ascii(one))]
    shown = "".join(f"[{one if one.isprintable() else '?'}]" if one in odd else one for one in name)
    told = ", ".join(f"{unicodedata.name(one, 'a letter without a name')} U+{ord(one):04X}" for one in odd)
    return f"{shown} ({told})" if odd else name


class Twins:
    """Finds which name another is taken for: one of those that matter, or one that it spells in other letters."""

    def __init__(self, estate: Estate, important: Iterable[Principal]) -> None:
        self._estate = estate
        self._important: Mapping[str, Principal] = {skeleton(one.name): one for one in important}

    def of(self, name: str, sid: str) -> Principal | None:
        """Return what the object of this name and SID could be taken for; None where nothing is like it."""
        known = self._important.get(skeleton(name))
        if known is not None and str(known.sid or "") != sid and known.name.casefold() != name.casefold():
            return known
        plain = in_ascii(name)
        if plain == name or not plain.isascii():
            return None
        same = self._estate.catalogue.principals(self._estate.catalogue.by_name(plain)).values()
        return next((one for one in same if str(one.sid or "") != sid), None)


def _seen(name: str) -> str:
    return "".join(one for one in name if unicodedata.category(one) != "Cf")


def _script(letter: str) -> str:
    # The name of a letter begins with its script: "CYRILLIC SMALL LETTER A".
    name = unicodedata.name(letter, "")
    return "LATIN" if letter.isascii() else name.partition(" ")[0].partition("-")[0]


@cache
def _table() -> dict[int, str]:
    return {ord(letter): plain for plain, letters in LOOKING_LIKE.items() for letter in letters}
