"""Somebody is put into a group of the directory until a time, at which the directory ends it by itself."""

from typing import ClassVar, Literal

from pydantic import AwareDatetime

from adzeguard.core.change.kinds.add_member import AddMember
from adzeguard.core.wording import when_utc


class AddEndingMember(AddMember):
    """The member is expected to be absent, and listed afterwards with an end.

    The directory keeps such a link itself and takes it out in time, whether or not anything of ours runs then
    ([MS-ADTS], LDAP_SERVER_LINK_TTL_OID).
    """

    kind: Literal["add-ending-member"] = "add-ending-member"  # type: ignore[assignment]
    counts_as: ClassVar[str] = "add-member"
    in_person: ClassVar[bool] = True
    ends: AwareDatetime

    def in_words(self) -> str:
        """Return "add X to Y until a moment"."""
        return f"{super().in_words()} until {when_utc(self.ends)}, when the directory ends it by itself"
