"""Runs one command line in this process, and writes how many statements it gave to the database into a file."""

import sqlite3
import sys
from pathlib import Path
from typing import Any

_OF_TRANSACTIONS = ("BEGIN", "COMMIT", "ROLLBACK", "PRAGMA")


def main(file: Path, arguments: list[str]) -> None:
    """Run it; `file` gets the number."""
    statements: list[str] = []
    real: Any = sqlite3.connect

    def connect(*given: Any, **named: Any) -> sqlite3.Connection:
        connection: sqlite3.Connection = real(*given, **named)
        connection.set_trace_callback(statements.append)
        return connection

    sqlite3.connect = connect
    from adzeguard.cli.edge import run

    sys.argv = ["adzeguard", *arguments]
    try:
        run()
    finally:
        file.write_text(str(sum(not one.startswith(_OF_TRANSACTIONS) for one in statements)))


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2:])
