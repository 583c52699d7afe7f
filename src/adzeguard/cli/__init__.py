"""The command line: each module parses, calls one workflow or core function, renders, and sets the exit code."""
