#!/bin/sh
# One domain controller of two that trust each other, in a mount and process namespace of its own.
# $1: its folder, $2: the address of its name server, then addresses and names of all controllers, one a word
set -eu
folder=$1 resolver=$2
shift 2
mount --make-rprivate /
mount -t proc proc /proc
mkdir -p /run/samba
# Its sockets lie in a folder that no setting moves for all who look there.
mount -t tmpfs -o mode=755 tmpfs /run/samba
printf 'nameserver %s\noptions timeout:1 attempts:1 no-aaaa\n' "$resolver" > "$folder/resolv.conf"
# With this machine's own name, which libraries ask for as they are loaded: the name server leaves that unanswered.
printf '127.0.0.1 localhost %s\n' "$(uname -n)" > "$folder/hosts"
for line in "$@"; do echo "$line" >> "$folder/hosts"; done
mount --bind "$folder/resolv.conf" /etc/resolv.conf
mount --bind "$folder/hosts" /etc/hosts
exec samba -s "$folder/etc/smb.conf" -F
