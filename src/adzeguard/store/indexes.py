"""Indexes that are named in more than one place."""

from typing import Final

DETAIL_KEYS: Final = {"managed_by": '"managed_by"', "sid_history": '"sid_history"', "signing_in": '"signing_in"'}
"""The details by which objects are looked up, each with the text by which its index knows it."""
