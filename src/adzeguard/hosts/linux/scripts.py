"""The scripts that are run on a Linux host, as POSIX shell. What they are about comes in their arguments alone."""

from typing import Final

from adzeguard.hosts.linux.access_file import SERVICES, access_path
from adzeguard.hosts.linux.fact_files import FACT_FILES
from adzeguard.hosts.linux.notice_files import NOTICE_FILES
from adzeguard.hosts.linux.sudoers import SUDOERS

STATE: Final = "/etc/adzeguard/state.json"
CHANGED_MEANWHILE: Final = 75  # EX_TEMPFAIL of sysexits(3)
_OURS: Final = (
    SUDOERS,
    *(access_path(way) for way in SERVICES),
    *NOTICE_FILES,
    *(path for row in FACT_FILES for path in row.paths),
)
_PAM: Final = "\n".join(f"pam {way} {service} {access_path(way)}" for way, service in SERVICES.items())

READ: Final = (
    """
emit() {
    if [ -r "$1" ]; then printf 'file %s ' "$1"; base64 "$1" | tr -d '\\n'; printf '\\n'; fi
}
pam() {
    if grep -Eqs "^[^#]*pam_access\\\\.so.*accessfile=$3( |\\$)" "/etc/pam.d/$2"; then printf 'pam %s\\n' "$1"; fi
}
for one in /etc/machine-id /etc/passwd /etc/group /etc/shadow """
    + STATE
    + """; do emit "$one"; done
"""
    + _PAM
    + """
used() {
    journalctl -q -t sudo --since '-30 days' -o short-iso --no-pager 2> /dev/null
    cat /var/log/auth.log /var/log/secure /var/log/sudo.log 2> /dev/null
}
printf 'used '; used | grep -a 'COMMAND=/' | grep -av 'command not allowed' | tail -n 2000 | base64 | tr -d '\\n'; echo
seen() {
    date +'now %Y-%m-%dT%H:%M:%S%z'
    ps -eo stat=,user:64= 2> /dev/null | sed -n 's/^[^Z ][^ ]* */session /p' | sort -u | head -n 500
    for one in /tmp/krb5cc_*; do
        if [ -f "$one" ] && [ ! -L "$one" ]; then stat -c 'ticket-kept %Y %U' -- "$one"; fi
    done | sort -k 2,2rn | awk '{ who = $0; sub(/^[^ ]+ [^ ]+ /, "", who) } !known[who]++' | head -n 500
    {
        journalctl -q -t sshd -t sshd-session -t login --since '-30 days' -o short-iso --no-pager 2> /dev/null
        cat /var/log/auth.log /var/log/secure 2> /dev/null
    } | grep -aE 'sshd(-session)?\\[[0-9]+\\]: Accepted |:session\\): session opened for user ' | tail -n 2000
}
printf 'seen '; seen | base64 | tr -d '\n'; echo
printf 'name %s\n' "$(uname -n)"
if command -v cvtsudoers > /dev/null; then
    policy=$(cvtsudoers -e -f json /etc/sudoers 2> /dev/null | base64 | tr -d '\\n')
    printf 'policy %s\\n' "$policy"
    numbers() {
        printf %s "$policy" | base64 -d | sed -n "s/.*\\"$1\\": \\([0-9]\\{1,10\\}\\).*/\\1/p" | sort -un | head -n 200
    }
    called() {
        for one in $(numbers userid); do getent passwd "$one" | sed -n "1s/^\\([^:]*\\):.*/account $one \\1/p"; done
        for one in $(numbers usergid); do getent group "$one" | sed -n "1s/^\\([^:]*\\):.*/group $one \\1/p"; done
    }
    printf 'called '; called | base64 | tr -d '\\n'; echo
fi
if grep -qs '^[^#]' /root/.ssh/authorized_keys /root/.ssh/authorized_keys2; then echo rootkeys; fi
if command -v visudo > /dev/null && grep -Eqs '^[@#]includedir +/etc/sudoers.d' /etc/sudoers; then echo sudo; fi
for one in """
    + " ".join(_OURS)
    + """; do
    if [ -e "$one" ]; then printf 'digest %s %s\\n' "$one" "$(sha256sum < "$one" | cut -c 1-64)"; fi
done
echo end
"""
)
"""Prints the files that say who is on the host, what of PAM and sudo is there, and the digests of the files of ours."""

DIGESTS: Final = """
open_to_others() {
    at=$1
    while :; do
        mode=$(stat -L -c '%u %a' -- "$at") || mode='? 0'
        if [ "${mode%% *}" != 0 ] || [ $(( 0${mode##* } & 022 )) != 0 ]; then printf '%s' "$at"; return; fi
        if [ "$at" = / ]; then return; fi
        at=$(dirname -- "$at")
    done
}
for program; do
    digest= from=$(dirname -- "$program")
    if [ -f "$program" ]; then digest=$(sha256sum < "$program" | cut -c 1-64) from=$program; fi
    open=$(open_to_others "$from")
    if [ -z "$open" ]; then open=$(open_to_others "$(readlink -f -- "$from")"); fi
    printf '%s %s\\n' "$digest" "$(printf %s "$open" | base64 | tr -d '\\n')"
done
echo end
"""
"""Prints the digest of each program, a line each, empty for one that is not there; after it in base64 the file or the
first folder above it that somebody else than root may write, by the path as it is given and by where its links lead."""

KIND: Final = """
for name; do
    if line=$(getent passwd "$name"); then printf 'account %s' "${line%%:*}"; exit; fi
    if line=$(getent group "$name"); then printf 'group %s' "${line%%:*}"; exit; fi
done
"""
"""Says which of some names the host itself knows first, as what, and how it writes it."""

_ALONE: Final = """
set -eu
umask 077
exec 9> /run/adzeguard.lock
flock -w 30 9 || { echo 'another adzeguard is at work on this host' >&2; exit 1; }
"""
"""Only one at a time: two that write the group file at once lose one of the changes (seen with gpasswd)."""

ADD_MEMBER: Final = _ALONE + 'exec gpasswd -a "$1" "$2"\n'
REMOVE_MEMBER: Final = _ALONE + 'exec gpasswd -d "$1" "$2"\n'

WAY_IN: Final = """
set -eu
umask 077
id -Gn "$1" | tr ' ' '\\n' | grep -Fqx "$2" || exit 0
without=$(mktemp)
trap 'rm -f "$without"' EXIT
awk -F: -v OFS=: -v group="$2" '$1 == group { $4 = "" } 1' /etc/group > "$without"
chmod 0644 "$without"
unshare -m sh -c 'mount --bind "$1" /etc/group && exec runuser -u "$2" -- sudo -n -- /bin/sh -s' \\
    sh "$without" "$1" < /dev/null > /dev/null 2>&1 \\
    || { echo "sudo would not let $1 in any more, by whom adzeguard comes here" >&2; exit 1; }
"""
"""Tries whether sudo still lets an account become root once it is in a group no more, with the group file of a moment
and for this process alone: nothing is taken away before it is known. A host that cannot try it refuses."""

WRITE: Final = (
    _ALONE
    + f"""
state={STATE}
"""
    + """
now=
if [ -e "$state" ]; then now=$(sha256sum < "$state" | cut -c 1-64); fi
if [ "$now" != "$1" ]; then echo 'the settings of the host were changed meanwhile' >&2; exit 75; fi
both=$2 only=$3
shift 3
beside() { printf '%s/.%s.new' "$(dirname "$1")" "$(basename "$1")"; }
for one in """
    + " ".join(_OURS)
    + """; do rm -f "$(beside "$one")"; done
put() {
    (umask 022 && mkdir -p "$(dirname "$1")")
    new=$(beside "$1")
    printf %s "$2" | base64 -d > "$new"
    chmod "$3" "$new"
}
keep() {
    if [ -z "$1" ]; then rm -f "$state"; rmdir "$(dirname "$state")" 2> /dev/null || :; return; fi
    put "$state" "$1" 0600
    mv -f "$(beside "$state")" "$state"
}
reload=
for one; do
    case "$one" in
    write=*)
        rest=${one#write=}; path=${rest%%=*}; rest=${rest#*=}; mode=${rest%%=*}; content=${rest#*=}
        put "$path" "$content" "$mode"
        case "$path" in
        /etc/sudoers.d/*) visudo -c -s -f "$(beside "$path")" >&2 || { rm -f "$(beside "$path")"; exit 1; } ;;
        esac ;;
    esac
done
keep "$both"
for one; do
    case "$one" in
    write=*) rest=${one#write=}; path=${rest%%=*}; mv -f "$(beside "$path")" "$path" ;;
    remove=*) path=${one#remove=}; rm -f "$path" ;;
    esac
    case "$path" in /etc/ssh/*) reload=yes ;; esac
done
sync
keep "$only"
if [ -n "$reload" ]; then
    if [ -r /run/sshd.pid ]; then kill -HUP "$(cat /run/sshd.pid)" 2> /dev/null || :
    else systemctl reload ssh.service sshd.service 2> /dev/null || :
    fi
fi
"""
)
"""Puts files in place, each whole, after sudo's own check. Its arguments: the digest of the state that was seen, the
state that holds with the old files and the new, the state that holds with the new, then `write=PATH=MODE=BASE64` and
`remove=PATH`. Wherever it is ended, the state that is kept tells which files are in force."""

PROVE: Final = """
sudo -n -l -U "$@" > /dev/null 2>&1
"""
"""Asks sudo whether it would run a program for somebody; it looks at the digest too."""
