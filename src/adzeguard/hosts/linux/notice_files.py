"""The files of ours by which a Linux host shows a notice: at the console, before a login over SSH, and after it."""

from typing import Final

from adzeguard.core.estate.notice import Notice

ISSUE: Final = "/etc/issue.d/adzeguard.issue"
MOTD: Final = "/etc/motd.d/adzeguard"
BANNER: Final = "/etc/adzeguard/banner"
BANNER_SETTING: Final = "/etc/ssh/sshd_config.d/adzeguard.conf"
NOTICE_FILES: Final = (ISSUE, MOTD, BANNER, BANNER_SETTING)


def notice_files(notice: Notice) -> dict[str, tuple[str, str]]:
    """Return by their paths the files that show a notice, each with its mode; none for no notice."""
    if not notice:
        return {}
    plain = f"{notice.title}\n{f'{notice.text}{chr(10)}' if notice.text else ''}"
    # agetty(8) reads \n, \l and others in an issue file as values; a doubled backslash is one.
    issue = plain.replace("\\", "\\\\")
    return {
        ISSUE: (issue, "0644"),
        MOTD: (plain, "0644"),
        BANNER: (plain, "0644"),
        BANNER_SETTING: (f"Banner {BANNER}\n", "0644"),
    }
