#!/bin/sh
# A Samba member host of the domain, in a mount and process namespace with folders of its own.
# $1: its address, $2: its name, $3: its folder, $4: the administrator's password, $5: the directory server's name,
# $6: the folder of packages that `make hosts` fetched
set -eu
address=$1 name=$2 folder=$3 password=$4 server=$5 packages=$6
mount --make-rprivate /
mount -t tmpfs tmpfs /mnt
mkdir /mnt/up /mnt/work /mnt/root
mount -t overlay overlay -o lowerdir=/,upperdir=/mnt/up,workdir=/mnt/work /mnt/root
mount -t proc proc /mnt/root/proc
mount --rbind /dev /mnt/root/dev
mount -t tmpfs tmpfs /mnt/root/run
mkdir -p /mnt/root/run/samba /mnt/root/run/lock "/mnt/root$folder"
hostname "$name"
cat > /mnt/root/setup.sh <<'SETUP'
set -eu
address=$1 name=$2 folder=$3 password=$4 server=$5 packages=$6
export DEBIAN_FRONTEND=noninteractive
apt-get install -y -q --no-install-recommends --no-download -o Dir::Cache::archives="$packages" libnss-winbind \
    > /apt.log 2>&1 || { cat /apt.log >&2; echo 'packages are missing: make hosts' >&2; exit 1; }
sed -i 's/^passwd:.*/passwd: files winbind/; s/^group:.*/group: files winbind/' /etc/nsswitch.conf
printf '%s\n' '127.0.0.1 localhost' "127.0.0.1 $server.lowmere.example $server" "$address $name.lowmere.example $name" > /etc/hosts
printf '%s\n' '[libdefaults]' ' default_realm = LOWMERE.EXAMPLE' ' dns_lookup_kdc = false' ' dns_lookup_realm = false' \
    ' rdns = false' '[realms]' ' LOWMERE.EXAMPLE = {' '  kdc = 127.0.0.1' ' }' \
    '[domain_realm]' ' .lowmere.example = LOWMERE.EXAMPLE' > /etc/krb5.conf
mkdir -p "$folder/private" "$folder/lock" "$folder/state" "$folder/cache" "$folder/pid" "$folder/log"
cat > "$folder/smb.conf" <<CONF
[global]
    security = ads
    realm = LOWMERE.EXAMPLE
    workgroup = LOWMERE
    netbios name = $name
    interfaces = $address/8
    bind interfaces only = yes
    smb ports = 445
    disable netbios = yes
    password server = $server.lowmere.example
    kerberos method = secrets only
    server signing = required
    private dir = $folder/private
    lock directory = $folder/lock
    state directory = $folder/state
    cache directory = $folder/cache
    pid directory = $folder/pid
    log file = $folder/log/%m
    winbindd socket directory = /run/samba/winbindd
    idmap config * : backend = tdb
    idmap config * : range = 100000-199999
    idmap config LOWMERE : backend = rid
    idmap config LOWMERE : range = 200000-999999
    load printers = no
CONF
# Shares whose permissions are kept beside the files: the file system here has no place for them.
for share in open group denied read; do
    mkdir -p "$folder/files/$share"
    chmod 777 "$folder/files/$share"
    cat >> "$folder/smb.conf" <<CONF
[$share]
    path = $folder/files/$share
    read only = no
    vfs objects = acl_tdb
    acl_tdb:ignore system acls = yes
    create mask = 0777
    force create mode = 0777
    directory mask = 0777
    force directory mode = 0777
CONF
done
echo "$password" | net ads join -s "$folder/smb.conf" -U Administrator --no-dns-updates -S "$server.lowmere.example" \
    > "$folder/join.log" 2>&1 || { cat "$folder/join.log" >&2; exit 1; }
winbindd -D -s "$folder/smb.conf"
smbd -D -s "$folder/smb.conf"
SETUP
chroot /mnt/root sh /setup.sh "$address" "$name" "$folder" "$password" "$server" "$packages"
exec sleep 100000
