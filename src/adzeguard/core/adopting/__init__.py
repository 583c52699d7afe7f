"""Charters written from what stands."""
