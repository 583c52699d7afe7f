"""The kinds of change, a file for each; `table` has them all, and is read where a change is read by its name."""
