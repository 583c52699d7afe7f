"""The executors of changes in a directory: each reads again, compares with what was expected, writes, reads back."""
