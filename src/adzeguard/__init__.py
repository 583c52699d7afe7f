"""Adzeguard: who is in privileged groups, who should be, and putting it right."""

__version__ = "0.1.0"
