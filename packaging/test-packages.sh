#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Builds the packages and the folder to carry along, and tries them in a Debian 12 made for it: installs, starts, scans,
# opens, hands over, reads with rights through pkexec, upgrades, purges; carries, read-only and without Qt. As root.
# Usage: packaging/test-packages.sh [--built]: with what lies in build/packages already.
# Each check prints a line; the last line is the total. Needs debootstrap's mirror.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
[ "$(id -u)" -eq 0 ] || { echo "This makes and enters another system: start it as root." >&2; exit 2; }
install_missing debootstrap lintian dpkg-dev zstd
out=$root/build/packages
if [ "${1:-}" != --built ]; then
    "$root/packaging/build-deb.sh"
    "$root/packaging/build-portable.sh"
fi
version=$(sed -nE 's/^project\(kurvo VERSION ([0-9.]+).*/\1/p' "$root/CMakeLists.txt")
machine=$(uname -m)
work=$(mktemp -d)
passed=0 failed=0
leave() {
    for mount in dev/pts dev proc sys mnt/carried; do umount -l "$work"/*/"$mount" 2>/dev/null || true; done
    pkill -f "$work" 2>/dev/null || true
    rm -rf --one-file-system "$work"
}
trap leave EXIT

# check WHAT COMMAND...: says whether it went well, and shows what it said where not.
check() {
    local what=$1
    shift
    if "$@" >"$work/said" 2>&1; then
        echo "ok      $what"
        passed=$((passed + 1))
    else
        echo "FAILED  $what"
        sed 's/^/        /' "$work/said" | tail -15
        failed=$((failed + 1))
    fi
}
under() { [ "$(stat -c %s "$1")" -lt $(($2 << 20)) ]; }
inside() { chroot "$system" /usr/bin/env -i PATH=/usr/sbin:/usr/bin:/sbin:/bin LANG=C.UTF-8 DEBIAN_FRONTEND=noninteractive "$@"; }
enter() {
    system=$work/$1
    mkdir "$system"
    tar -C "$system" -xf "$work/debian.tar"
    mount -t proc proc "$system/proc"
    mount --bind /dev "$system/dev"
    mkdir -p "$system/dev/pts"
    mount --bind /dev/pts "$system/dev/pts"
    cp /etc/resolv.conf "$system/etc/" 2>/dev/null || true
}

# What it is, before it is installed.
check "lintian says nothing" lintian --pedantic --fail-on error,warning --tag-display-limit 0 "$out/kurvo_${version}_"*.changes
check "kurvo is under 4 MiB" under "$out/kurvo_${version}_amd64.deb" 4
check "kurvoctl, with the scanner it sends, is under 4 MiB" under "$out/kurvoctl_${version}_amd64.deb" 4
check "the folder to carry is under 45 MiB" under "$out/kurvo-$version-$machine.tar.zst" 45
no_window() { ! dpkg-deb -f "$1" Depends | grep -qiE 'qt|x11|xcb|glib'; }
check "kurvoctl needs no window" no_window "$out/kurvoctl_${version}_amd64.deb"
only_libc() { ! ldd "$1" | grep -vE 'linux-vdso|lib(c|m)\.so|ld-linux'; }
check "the one file needs glibc only" only_libc "$out/kurvoctl-$version-$machine"

# A system to install into; the version before is this one under an older number.
debootstrap --variant=minbase bookworm "$work/debian" "${MIRROR:-http://deb.debian.org/debian}" >"$work/said" 2>&1 || { tail "$work/said"; exit 1; }
tar -C "$work/debian" -cf "$work/debian.tar" .
rm -rf "$work/debian"
mkdir "$work/older"
for package in kurvo kurvoctl; do
    dpkg-deb -R "$out/${package}_${version}_amd64.deb" "$work/older/$package"
    sed -i -e 's/^Version:.*/Version: 0.1.0~try/' -e "s/kurvoctl (= $version)/kurvoctl (= 0.1.0~try)/" -e '/^Breaks:/d' -e '/^Replaces:/d' "$work/older/$package/DEBIAN/control"
    dpkg-deb --root-owner-group -b "$work/older/$package" "$work/older/$package.deb" >/dev/null
done

enter desktop
mkdir "$system/packages"
cp "$out/kurvo_${version}_amd64.deb" "$system/packages/kurvo.deb"
cp "$out/kurvoctl_${version}_amd64.deb" "$system/packages/kurvoctl.deb"
cp "$work/older/kurvo.deb" "$system/packages/kurvo-older.deb"
cp "$work/older/kurvoctl.deb" "$system/packages/kurvoctl-older.deb"
cp "$root/packaging/test/"* "$system/packages/"
inside apt-get update -qq >/dev/null 2>&1
check "kurvoctl installs by itself" inside apt-get install -y -qq --no-install-recommends /packages/kurvoctl.deb
no_qt() { ! inside dpkg -l | grep -qE '^ii  lib(qt|x11|xcb)'; }
check "with it comes neither Qt nor X" no_qt
check "kurvoctl scans" inside kurvoctl scan /usr --json
check "its manual is there" inside test -f /usr/share/man/man1/kurvoctl.1.gz
check "kurvoctl is purged" inside apt-get purge -y -qq kurvoctl
check "the version before installs" inside apt-get install -y -qq --no-install-recommends /packages/kurvoctl-older.deb /packages/kurvo-older.deb \
    xvfb xauth dbus dbus-x11 polkitd pkexec xdg-utils shared-mime-info desktop-file-utils fonts-inter libglib2.0-bin python3 procps sudo
inside useradd --create-home --shell /bin/bash tech
echo 'tech:a long password' | inside chpasswd
inside usermod -aG sudo tech
inside runuser -u tech -- sh -c 'mkdir -p ~/.local/share/kurvo && { kurvoctl snapshot take /etc >/dev/null 2>&1 || true; } && echo mine >~/.local/share/kurvo/mine'
check "an upgrade" inside apt-get install -y -qq --no-install-recommends /packages/kurvoctl.deb /packages/kurvo.deb
newest() { inside env QT_QPA_PLATFORM=offscreen kurvo --version | grep -qF "$version"; }
check "it is the new one" newest
inside mkdir -p /run/dbus
inside dbus-daemon --system --fork
inside /usr/lib/polkit-1/polkitd --no-debug >/dev/null 2>&1 &
sleep 2
# The window as that user, on a display and a bus of its own.
while IFS= read -r line; do
    case $line in
        ok*) passed=$((passed + 1)) ;;
        FAILED*) failed=$((failed + 1)) ;;
    esac
    echo "$line"
done < <(inside runuser -l tech -c 'xvfb-run -a dbus-run-session -- python3 /packages/use_kurvo.py' 2>"$work/window.err" || true)
grep -v '^dbus-daemon' "$work/window.err" | tail -5 || true
check "it is removed" inside apt-get remove -y -qq kurvo kurvoctl
check "and purged" inside dpkg --purge kurvo kurvoctl
nothing_left() { [ -z "$(inside find / -xdev -iname '*kurvo*' -not -path '/home/*' -not -path '/packages/*' -not -path '/var/lib/kurvo*' -not -path '/proc/*' -not -path '/tmp/*' -not -path '/var/log/*' -not -path '/var/cache/*')" ]; }
check "nothing of the packages is left" nothing_left
check "what the user wrote is left" inside test -f /home/tech/.local/share/kurvo/mine
pkill -f "$system" 2>/dev/null || true

# Carried: into a system without Qt, on a mount that can only be read.
enter bare
mkdir -p "$system/mnt/carried" "$work/stick"
tar -C "$work/stick" --zstd -xf "$out/kurvo-$version-$machine.tar.zst"
mount --bind "$work/stick" "$system/mnt/carried"
mount -o remount,ro,bind "$system/mnt/carried"
inside useradd --create-home tech
there=/mnt/carried/kurvo-$version-$machine
tech() { inside runuser -u tech -- env HOME=/home/tech QT_QPA_PLATFORM=offscreen "$@"; }
check "kurvoctl runs from a mount that is read only" tech "$there/kurvoctl" scan /etc --json
has_snapshot() { inside sh -c "ls $1/snapshots/*.kurvo" >/dev/null; }
window_scans() { # PROGRAM DATA
    tech timeout 20 "$1" /etc || [ $? -eq 124 ] || return 1
    has_snapshot "$2"
}
check "the window runs there without Qt" window_scans "$there/kurvo" /home/tech/.local/share/kurvo
check "no library is missing" bash -c "! chroot '$system' find $there -name '*.so*' -o -name kurvo -type f -o -name kurvo-preview | while read -r f; do chroot '$system' /lib64/ld-linux-x86-64.so.2 --list \"\$f\" 2>/dev/null; done | grep 'not found' | grep -v wayland"
# With a data folder, by a link, from a path with spaces; nothing else is written.
mkdir -p "$system/opt/a stick"
cp -r "$work/stick/kurvo-$version-$machine" "$system/opt/a stick/kurvo"
mkdir "$system/opt/a stick/kurvo/data"
inside chown -R tech "/opt/a stick"
inside ln -s "/opt/a stick/kurvo/kurvo" /usr/local/bin/carried
inside sh -c 'rm -rf /home/tech/.local /home/tech/.cache /home/tech/.config'
inside touch /before
check "by a link, from a path with spaces" window_scans /usr/local/bin/carried "/opt/a\ stick/kurvo/data"
wrote_outside() { inside find / -xdev -newer /before -type f -not -path '/opt/*' -not -path '/proc/*' -not -path '/dev/*' -not -path '/var/log/*' -not -path '/tmp/*'; }
only_inside() { [ -z "$(wrote_outside)" ] || { wrote_outside; false; }; }
check "nothing is written outside of it" only_inside
check "kurvoctl keeps its snapshots there too" inside runuser -u tech -- sh -c 'cd / && "/opt/a stick/kurvo/kurvoctl" snapshot list --json | grep -q /opt/'
cp "$out/kurvoctl-$version-$machine" "$system/home/tech/kurvoctl"
check "kurvoctl as one file" tech /home/tech/kurvoctl largest /usr --count 3
mount -o remount,noexec,bind "$system/mnt/carried"
cannot() { { tech "$there/kurvoctl" --version 2>&1 || true; } | grep -q 'Permission denied'; }
check "a stick mounted noexec starts nothing, as README.txt says" cannot

echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ]
