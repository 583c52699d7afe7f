"""File shares: a port, and its drivers."""
