"""Readers of logs: one file for each form in which a directory's own events are found."""
