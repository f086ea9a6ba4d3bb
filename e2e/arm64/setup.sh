# Sourced. A folder $R with Debian's arm64 Python and shell, in which programs of that processor
# run under emulation. Needs root, apt, qemu-user-static, and a kernel with binfmt_misc.
T=${T:-$(mktemp -d)}
R=$T/root
binfmt=/proc/sys/fs/binfmt_misc
[ -e $binfmt/register ] || mount -t binfmt_misc binfmt_misc $binfmt || exit 2
# The emulator is opened now (F), so that it is there in any root.
[ -e $binfmt/qemu-aarch64 ] || printf '%s' ':qemu-aarch64:M::\x7fELF\x02\x01\x01\x00\x00\x00\x00\x00\x00\x00\x00\x00\x02\x00\xb7\x00:\xff\xff\xff\xff\xff\xff\xff\x00\xff\xff\xff\xff\xff\xff\xff\xff\xfe\xff\xff\xff:/usr/bin/qemu-aarch64-static:F' >$binfmt/register || exit 2

# What this machine has of packages is not touched: apt works in a folder of its own.
apt=$T/apt
mkdir -p "$apt"/{lists/partial,archives/partial,etc/preferences.d} "$R"
touch "$apt/status"
options=(-qq -o APT::Architecture=arm64 -o APT::Architectures=arm64 -o Dir::State="$apt" -o Dir::State::status="$apt/status" -o Dir::State::lists="$apt/lists"
    -o Dir::Cache="$apt" -o Dir::Cache::archives="$apt/archives" -o APT::Sandbox::User=root -o Debug::NoLocking=1)
apt-get "${options[@]}" update
apt-get "${options[@]}" --no-install-recommends --download-only -y install python3 bash coreutils dash sed grep findutils libc-bin >/dev/null || exit 2
mkdir -p "$R"/usr/{bin,sbin,lib}
ln -s usr/bin usr/sbin usr/lib "$R/"
for package in "$apt"/archives/*.deb; do
    dpkg-deb --fsys-tarfile "$package" | tar -x -C "$R" --keep-directory-symlink || exit 2
done
ln -sf dash "$R/usr/bin/sh"
mkdir -p "$R"/{tmp,proc,dev,home,work,src}
chmod 1777 "$R/tmp"
for device in null zero urandom random; do [ -e "$R/dev/$device" ] || cp -a "/dev/$device" "$R/dev/"; done
printf 'root:x:0:0:root:/home:/bin/sh\n' >"$R/etc/passwd"
mount -t proc proc "$R/proc" && trap 'umount "$R/proc"' EXIT

# within FOLDER COMMAND... runs a command in that root, in a folder of it, in a world from nothing.
within() { chroot "$R" /usr/bin/env -i HOME=/home PATH=/usr/bin:/bin TERM=dumb TMPDIR=/tmp sh -c 'cd "$0" && exec "$@"' "$@"; }

# for_arm64 builds for arm64.
for_arm64() { GOOS=linux GOARCH=arm64 CGO_ENABLED=0 go "$@"; }
