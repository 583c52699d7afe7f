"""Hosts that are reached by their account database: MS-SAMR, MS-LSAD and MS-RRP over SMB."""
