#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Runs tests under Debian's own kernel, in a virtual machine that is made for the run and gone after it: for what the
# machine at hand lacks.
#   tools/debian_kernel.sh fat [FILTER]   core tests as root, with FAT (default: [fat])
#   tools/debian_kernel.sh root-drive     the drive that a system runs from, ext4 on a disk of its own
#   tools/debian_kernel.sh install        only what a run needs is installed
#   tools/debian_kernel.sh encrypted      the same, on a logical volume on an encrypted disk
# Prints what the tests say, and fails where they did not pass. Needs apt-get and root once, to install the machine; the kernel is unpacked beside the build,
# not installed.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
wish=${1:-fat}
filter=${2:-[fat]}
install_missing cryptsetup-bin dmsetup dosfstools busybox-static kmod qemu-system-x86
[ "$wish" = install ] && exit
build release core_tests app_tests kurvoctl >&2

kernel=$root/build/debian-kernel
if ! ls "$kernel"/boot/vmlinuz-* >/dev/null 2>&1; then
    mkdir -p "$kernel"
    package=$(apt-cache depends linux-image-cloud-amd64 | sed -n 's/^ *Depends: \(linux-image-.*\)/\1/p' | head -n 1)
    (cd "$kernel" && apt-get -o APT::Sandbox::User=root download -qq "$package" && dpkg -x "$package"_*.deb . && rm "$package"_*.deb)
fi
version=$(basename "$(ls -d "$kernel"/lib/modules/*)")
[ -f "$kernel/lib/modules/$version/modules.dep" ] || /sbin/depmod -b "$kernel" "$version"

machine=$(mktemp -d)
trap 'rm -rf "$machine" "$machine".*' EXIT
chmod 755 "$machine"
mkdir -p "$machine"/{bin,sbin,dev,proc,sys,tmp,etc,home,run,usr,new,lib/modules}
mkdir -m 700 "$machine/root"
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
# with_modules NAME...: drivers, with those that they need.
with_modules() {
    local name file
    for name in "$@"; do
        for file in $(/sbin/modprobe -d "$kernel" -S "$version" --show-depends "$name" | sed -n 's/^insmod //p'); do
            cp -n "$file" "$machine/lib/modules/"
            echo "insmod /lib/modules/$(basename "$file") 2>/dev/null" >>"$machine/drivers"
        done
    done
}
put "$(command -v busybox)" "$(command -v mount)" "$(command -v umount)" "$(command -v mkfs.ext4)" "$(command -v findmnt)" \
    "$root/build/release/tests/core_tests"
for name in sh head tail cp mv rm ls cat dd truncate chmod chown mkdir sync sleep insmod poweroff sort ln su switch_root env; do
    ln -s busybox "$machine/bin/$name"
done
ln -s ../bin/mkfs.ext4 "$machine/sbin/mkfs.ext4"
printf 'root:x:0:0::/home:/bin/sh\nnobody:x:65534:65534::/tmp:/bin/sh\n' >"$machine/etc/passwd"
printf 'root:x:0:\nnogroup:x:65534:\n' >"$machine/etc/group"
cat >"$machine/prepare" <<'PREPARE'
export PATH=/bin:/sbin HOME=/home TMPDIR=/tmp XDG_DATA_HOME=/home/data XDG_CONFIG_HOME=/home/config
mount -t proc none /proc; mount -t sysfs none /sys; mount -t devtmpfs none /dev 2>/dev/null
mkdir -p /dev/shm; mount -t tmpfs none /dev/shm; mount -t tmpfs -o size=80% none /tmp; chmod 1777 /tmp
PREPARE

disks=() programs=1
case $wish in
fat)
    put "$(command -v mkfs.vfat)"
    ln -s ../bin/mkfs.vfat "$machine/sbin/mkfs.vfat"
    with_modules loop vfat exfat nls_cp437 nls_ascii nls_iso8859-1 nls_utf8 fuse
    mkdir -p "$machine"/usr/lib/x86_64-linux-gnu # where mkfs.vfat looks for the codepage of the label
    cp -r --parents /usr/lib/x86_64-linux-gnu/gconv/{gconv-modules,gconv-modules.d,gconv-modules.cache,IBM850.so} "$machine"
    cat >"$machine/init" <<INIT
#!/bin/sh
. /prepare
. /drivers
core_tests --use-colour no '$filter' </dev/null
poweroff -f
INIT
    ;;
root-drive | encrypted)
    put "$root/build/release/src/cli/kurvoctl" "$root/build/release/tests/app_tests"
    plugins=/usr/lib/x86_64-linux-gnu/qt6/plugins
    put "$plugins/platforms/libqoffscreen.so"
    cp --parents "$plugins/platforms/libqoffscreen.so" "$machine"
    cp -r --parents /etc/fonts /usr/share/fonts/truetype "$machine" 2>/dev/null || true
    # Started by one who may: as pkexec would.
    cp "$machine/bin/kurvoctl" "$machine/bin/helper"
    chmod 4755 "$machine/bin/helper"
    with_modules virtio_pci virtio_blk
    [ "$wish" = root-drive ] || {
        put "$(command -v cryptsetup)" "$(command -v dmsetup)"
        with_modules dm-crypt xts
    }
    programs=2
    truncate -s 3G "$machine.disk"
    disks=(-drive "file=$machine.disk,if=virtio,format=raw,cache=unsafe")
    cat >"$machine/init" <<INIT
#!/bin/sh
. /prepare
. /drivers
disk=/dev/vda
if [ $wish = encrypted ]; then
    export DM_DISABLE_UDEV=1 # there is nobody else who makes device files
    echo secret | cryptsetup luksFormat -q --pbkdf pbkdf2 --pbkdf-force-iterations 1000 /dev/vda -
    echo secret | cryptsetup open /dev/vda cellar --key-file -
    size=\$(cat /sys/block/dm-0/size)
    dmsetup create volume --table "0 \$((size - 2048)) linear /dev/mapper/cellar 2048" # as a volume manager maps it
    disk=/dev/mapper/volume
fi
mkfs.ext4 -q \$disk
mount -t ext4 \$disk /new
for part in /*; do
    case \$part in
    /new) ;;
    /dev | /proc | /sys | /tmp) mkdir -p /new\$part ;;
    *) cp -a \$part /new/ ;;
    esac
done
rm /new/init
mv /new/system /new/init
sync
umount /dev/shm; umount /tmp; umount /dev; umount /sys; umount /proc
exec switch_root /new /init
INIT
    cat >"$machine/system" <<'INIT'
#!/bin/sh
. /prepare
mount -t tmpfs none /run; mkdir -m 1777 /run/out # what the tests leave is not on the drive
cd /
findmnt / # what it is about
KURVO_ROOT_DRIVE=1 core_tests --use-colour no '[.root-drive]' </dev/null
su nobody -s /bin/sh -c 'export PATH=/bin HOME=/run/out TMPDIR=/run/out XDG_CONFIG_HOME=/run/out/config XDG_DATA_HOME=/run/out/data
    export QT_QPA_PLATFORM=offscreen KURVO_TEST_PLACE=/ KURVO_TEST_HELPER=/bin/helper KURVO_TEST_OUT=/run/out/it.kurvo
    app_tests --use-colour no "[.as-nobody-drive]"' </dev/null
kurvoctl scan / --json | head -c 2000
kurvoctl ledger /
sync
poweroff -f
INIT
    chmod +x "$machine/system"
    ;;
*)
    echo "no such machine: $wish" >&2
    exit 2
    ;;
esac
chmod +x "$machine/init"
(cd "$machine" && find . | busybox cpio -o -H newc 2>/dev/null | gzip -1) >"$machine.initrd"

# Emulated on purpose: an accelerator inside another virtual machine may hang instead of saying that it cannot work.
qemu-system-x86_64 -accel tcg -m 6G -smp 2 -nographic -no-reboot -nodefaults -serial stdio "${disks[@]}" \
    -kernel "$kernel"/boot/vmlinuz-* -initrd "$machine.initrd" -append 'console=ttyS0 quiet panic=-1 rdinit=/init' |
    tr -d '\r' | tee "$machine.said"
[ "$(grep -c '^All tests passed' "$machine.said")" -eq "$programs" ]
