"""Memberships that end, as functions of a given now."""
