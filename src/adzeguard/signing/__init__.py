"""Signatures by SSH keys, in the open forms of OpenSSH."""
