#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Runs core tests as root under Debian's own kernel, in a virtual machine that is made for the run and gone after it:
# for what the kernel at hand lacks, such as FAT.
# tools/debian_kernel.sh [FILTER] (default: [fat]); the last line is the tests' own. Needs apt-get and root once, to
# install the machine; the kernel is unpacked beside the build, not installed.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
filter=${1:-[fat]}
install_missing dosfstools busybox-static qemu-system-x86
build release core_tests >&2

kernel=$root/build/debian-kernel
if ! ls "$kernel"/boot/vmlinuz-* >/dev/null 2>&1; then
    mkdir -p "$kernel"
    package=$(apt-cache depends linux-image-cloud-amd64 | sed -n 's/^ *Depends: \(linux-image-.*\)/\1/p' | head -n 1)
    (cd "$kernel" && apt-get -o APT::Sandbox::User=root download -qq "$package" && dpkg -x "$package"_*.deb . && rm "$package"_*.deb)
fi
modules=$(ls -d "$kernel"/lib/modules/*)

machine=$(mktemp -d)
trap 'rm -rf "$machine"' EXIT
chmod 755 "$machine"
mkdir -p "$machine"/{bin,sbin,dev,proc,sys,tmp,etc,home,usr,modules}
ln -s ../bin "$machine/usr/bin"
ln -s ../sbin "$machine/usr/sbin"

# put FILE...: programs with the libraries that they need, where they are here.
put() {
    local file library
    for file in "$@"; do
        for library in $({ ldd "$file" 2>/dev/null || true; } | grep -o '/[^ ]*'); do
            mkdir -p "$machine$(dirname "$library")"
            [ -e "$machine$library" ] || cp -L "$library" "$machine$library"
        done
        cp -L "$file" "$machine/bin/"
    done
}
put "$(command -v busybox)" "$(command -v mount)" "$(command -v umount)" "$(command -v mkfs.ext4)" \
    "$(command -v mkfs.vfat)" "$(command -v findmnt)" "$root/build/release/tests/core_tests"
for name in sh head tail cp mv rm ls cat dd truncate chmod chown mkdir sync sleep insmod poweroff sort ln; do
    ln -s busybox "$machine/bin/$name"
done
for name in mkfs.ext4 mkfs.vfat; do ln -s "../bin/$name" "$machine/sbin/$name"; done
for name in virtio_blk loop fat vfat exfat nls_cp437 nls_ascii nls_iso8859-1 nls_utf8 fuse; do
    find "$modules" -name "$name.ko" -exec cp {} "$machine/modules/" \;
done
mkdir -p "$machine"/usr/lib/x86_64-linux-gnu # where mkfs.vfat looks for the codepage of the label
cp -r --parents /usr/lib/x86_64-linux-gnu/gconv/{gconv-modules,gconv-modules.d,gconv-modules.cache,IBM850.so} "$machine"
printf 'root:x:0:0::/home:/bin/sh\nnobody:x:65534:65534::/:/bin/sh\n' >"$machine/etc/passwd"
printf 'root:x:0:\nnogroup:x:65534:\n' >"$machine/etc/group"
cat >"$machine/init" <<INIT
#!/bin/sh
export PATH=/bin:/sbin HOME=/home TMPDIR=/tmp XDG_DATA_HOME=/home/data XDG_CONFIG_HOME=/home/config
mount -t proc none /proc; mount -t sysfs none /sys; mount -t devtmpfs none /dev
mkdir -p /dev/shm; mount -t tmpfs none /dev/shm; mount -t tmpfs -o size=80% none /tmp; chmod 1777 /tmp
for m in loop fat vfat exfat nls_cp437 nls_ascii nls_iso8859-1 nls_utf8 fuse; do insmod /modules/\$m.ko 2>/dev/null; done
core_tests --use-colour no '$filter' </dev/null
poweroff -f
INIT
chmod +x "$machine/init"
(cd "$machine" && find . | busybox cpio -o -H newc 2>/dev/null | gzip -1) >"$machine.initrd"
trap 'rm -rf "$machine" "$machine.initrd"' EXIT

# Emulated on purpose: an accelerator inside another virtual machine may hang instead of saying that it cannot work.
qemu-system-x86_64 -accel tcg -m 6G -smp 2 -nographic -no-reboot -nodefaults -serial stdio \
    -kernel "$kernel"/boot/vmlinuz-* -initrd "$machine.initrd" -append 'console=ttyS0 quiet panic=-1 rdinit=/init' |
    tr -d '\r'
