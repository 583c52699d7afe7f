"""Cleaning up: what still names something."""
