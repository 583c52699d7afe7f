"""python -m adzeguard, and the program itself."""

import sys

from adzeguard.cli.edge import run


def main() -> None:
    """Run the command line and exit with its code."""
    sys.exit(run())


if __name__ == "__main__":
    main()
