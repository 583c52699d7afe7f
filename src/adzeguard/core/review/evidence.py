"""Keys of evidence that several checks give beside their message, for programs."""

from typing import Final

MEMBER: Final = ("place", "group_sid", "member_sid", "member_kind", "how", "scope")
CHAIN: Final = ("chain", "member_sid")
GRANT: Final = ("duty", "sentence", "holder_sid", "entries")
LEASE: Final = ("lease", "until", "group_sid")
EVENT: Final = ("time", "verb", "by", "by_sid", "from", "privileged")
LOGON: Final = ("time", "from", "way")
RULE: Final = ("place",)
