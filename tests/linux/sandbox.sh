#!/bin/sh
# A Linux host of its own in a mount, process and host-name namespace: the machine's files below, ours above in memory.
# $1: port of sshd, $2: folder for what the tests need of it, $3: public key that is let in, $4: the folder of packages
# that `make hosts` fetched
set -eu
port=$1 out=$2 key=$3 packages=$4
mount --make-rprivate /
mount -t tmpfs tmpfs /mnt
mkdir /mnt/up /mnt/work /mnt/root
mount -t overlay overlay -o lowerdir=/,upperdir=/mnt/up,workdir=/mnt/work /mnt/root
mount -t proc proc /mnt/root/proc
mount --rbind /dev /mnt/root/dev
mount -t tmpfs tmpfs /mnt/root/run
mkdir -p /mnt/root/run/sshd /mnt/root/run/lock
hostname nav-01
cat > /mnt/root/setup.sh <<'SETUP'
set -eu
export DEBIAN_FRONTEND=noninteractive
apt-get install -y -q --no-install-recommends --no-download -o Dir::Cache::archives="$2" \
    sudo openssh-server pamtester libnss-extrausers > /apt.log 2>&1 \
    || { cat /apt.log >&2; echo 'packages are missing: make hosts' >&2; exit 1; }
echo 0123456789abcdef0123456789abcdef > /etc/machine-id
getent group wheel > /dev/null && groupdel wheel || :
groupadd navigators
for name in keeper ada ben cleo; do
    useradd -m -s /bin/sh "$name"
    echo "$name:Passw0rd-$name" | chpasswd
done
echo "$1" > /etc/ssh/let_in
# People of the directory, whom the host knows by another source of names than its own files.
mkdir -p /var/lib/extrausers
printf '%s\n' 'LOWMERE\orla.fenn:x:20001:20000:Orla:/tmp:/bin/sh' 'LOWMERE\roan.pell:x:20002:20000:Roan:/tmp:/bin/sh' \
    > /var/lib/extrausers/passwd
printf '%s\n' 'LOWMERE\domain users:x:20000:' 'LOWMERE\galley crew:x:20003:LOWMERE\roan.pell' > /var/lib/extrausers/group
printf '%s:*:19000:0:99999:7:::\n' 'LOWMERE\orla.fenn' 'LOWMERE\roan.pell' > /var/lib/extrausers/shadow
sed -i 's/^passwd:.*/passwd: files extrausers/; s/^group:.*/group: files extrausers/; s/^shadow:.*/shadow: files extrausers/' \
    /etc/nsswitch.conf
# Without a line of its own sudo asks a name server for the host's name, and waits seconds for no answer.
printf '127.0.0.1 localhost\n127.0.1.1 nav-01\n' > /etc/hosts
usermod -aG navigators ben
usermod -aG sudo cleo
printf '%s\n' 'Defaults logfile=/var/log/sudo.log, loglinelen=0, log_year' 'keeper ALL=(root:root) NOPASSWD: /bin/sh' \
    > /etc/sudoers.d/keeper
chmod 0440 /etc/sudoers.d/keeper
for way in remote=sshd console=login; do
    file=/etc/security/adzeguard-${way%%=*}.conf
    touch "$file"
    line="account required pam_access.so accessfile=$file fieldsep=| listsep=, nodefgroup"
    { echo "$line"; cat "/etc/pam.d/${way##*=}"; } > /pam.new
    cat /pam.new > "/etc/pam.d/${way##*=}"
done
# No kernel audit in a sandbox: a session that must have its number there would end at once.
sed -i '/pam_loginuid/d; /pam_selinux/d' /etc/pam.d/sshd
mkdir -p /opt/charts
printf '#!/bin/sh\nid -un\n' > /opt/charts/update
chmod 0755 /opt/charts/update
ssh-keygen -A > /dev/null
SETUP
chroot /mnt/root sh /setup.sh "$key" "$packages"
cat /mnt/root/etc/ssh/ssh_host_ed25519_key.pub > "$out/host_key.pub"
echo $$ > "$out/pid"
exec chroot /mnt/root /usr/sbin/sshd -D -e -p "$port" -o ListenAddress=127.0.0.1 -o UsePAM=yes -o PidFile=/run/sshd.pid \
    -o PasswordAuthentication=no -o AuthorizedKeysFile=/etc/ssh/let_in -o MaxStartups=10:30:100 2> "$out/sshd.log"
