"""The table of attributes that are read and shown as they are: a further one is a row here, and nothing else."""

from typing import Final

from adzeguard.core.values import dataclass


@dataclass(frozen=True, slots=True)
class Attribute:
    """One attribute of the directory. `key` is its name in JSON, `label` what people read, as the key without one."""

    name: str
    key: str
    label: str = ""
    is_binary: bool = False
    """Its values are bytes: they are kept in hexadecimal."""

    @property
    def words(self) -> str:
        """The label for people."""
        return self.label or self.key.replace("_", " ").capitalize()


SHOWN_ATTRIBUTES: Final[tuple[Attribute, ...]] = (
    Attribute("userPrincipalName", "user_principal_name"),
    Attribute("displayName", "display_name"),
    Attribute("description", "description"),
    Attribute("mail", "mail"),
    Attribute("title", "title"),
    Attribute("department", "department"),
    Attribute("manager", "manager"),
    Attribute("managedBy", "managed_by"),
    Attribute("dNSHostName", "dns_host_name", "DNS host name"),
    Attribute("operatingSystem", "operating_system"),
    Attribute("gPLink", "policy_links", "Directory policies"),
    Attribute("gPOptions", "policy_options"),
    Attribute("versionNumber", "version"),
    Attribute("gPCFileSysPath", "folder"),
    Attribute("userWorkstations", "workstations", "Logs on only to"),
    Attribute("logonHours", "logon_hours", is_binary=True),
)
