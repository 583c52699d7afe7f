"""Makes text from the outside harmless where it is shown."""

import unicodedata


def for_terminal(text: str) -> str:
    """Replace what could steer a terminal or turn the direction of a line: control characters and the like."""
    if text.isascii() and text.isprintable():
        return text
    return "".join("\ufffd" if unicodedata.category(c) in ("Cc", "Cf", "Cs") and c != "\n" else c for c in text)


def for_csv(text: str) -> str:
    """Put a quote before what a spreadsheet would run as a formula."""
    clean = text.encode("utf-8", "replace").decode()
    return "'" + clean if clean[:1] in ("=", "+", "-", "@", "\t", "\r") else clean
