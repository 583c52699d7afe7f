"""Makes text from the outside harmless where it is shown."""

from adzeguard.core.wording import printable

_BEGIN_FORMULAS = tuple("=+-@\uff1d\uff0b\uff0d\uff20")


def for_terminal(text: str) -> str:
    """Replace what could steer a terminal or turn a line's direction: all but printable characters and newlines."""
    return printable(text)


def for_csv(text: str) -> str:
    """Put a quote before what a spreadsheet would run as a formula, and leave out what is not printable."""
    clean = for_terminal(text)
    # A spreadsheet passes over leading white space, and takes the full-width signs of East Asian keyboards like ours.
    return "'" + clean if text.lstrip()[:1] in _BEGIN_FORMULAS else clean


def from_csv(cell: str) -> str:
    """Return what a cell stood for before a quote was put before it."""
    return cell[1:] if cell.startswith("'") and cell[1:].lstrip()[:1] in _BEGIN_FORMULAS else cell
