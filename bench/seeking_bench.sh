#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# What a spinning disk pays for a scan: `seeking_bench.sh IMAGE [RUNS]`, as root. IMAGE is a file with an ext4 drive,
# which is shown as a disk that seeks (seeking_disk.cpp). Prints for each run the seconds of a walk, of a walk after
# reading ahead, and of the tables, with what the disk was asked; caches are dropped before each.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
kurvoctl=$root/build/release/src/cli/kurvoctl
image=${1:?a file with an ext4 drive}
runs=${2:-1}
work=$(mktemp -d)
mkdir "$work/disk" "$work/drive"
# shellcheck disable=SC2046 # several words
g++ -O2 -std=c++20 "$root/bench/seeking_disk.cpp" -o "$work/seeking_disk" $(pkg-config --cflags --libs fuse3)
loop=
cleanup() {
    mountpoint -q "$work/drive" && umount "$work/drive"
    [ -n "$loop" ] && losetup -d "$loop"
    mountpoint -q "$work/disk" && umount "$work/disk"
    rm -rf "$work"
}
trap cleanup EXIT

# measured TITLE MOUNT-OPTIONS [OPTION...]
measured() {
    local title=$1 options=$2
    shift 2
    "$work/seeking_disk" "$image" "$work/disk" >"$work/asked" &
    local disk=$!
    until [ -e "$work/disk/disk" ]; do sleep 0.1; done
    loop=$(losetup --find --show --direct-io=on "$work/disk/disk")
    echo 1 >"/sys/block/${loop#/dev/}/queue/rotational"
    echo mq-deadline >"/sys/block/${loop#/dev/}/queue/scheduler" 2>/dev/null || true
    mount -o "$options" "$loop" "$work/drive"
    sync
    echo 3 >/proc/sys/vm/drop_caches
    "$kurvoctl" scan "$work/drive" --json "$@" >"$work/scan"
    umount "$work/drive"
    losetup -d "$loop"
    loop=
    umount "$work/disk"
    wait "$disk"
    echo "$title: $(grep -o '"elapsed_seconds": [0-9.]*' "$work/scan" | cut -d' ' -f2) s," \
        "$(grep -o '"method": "[a-z]*"' "$work/scan" | cut -d'"' -f4); with mounting: $(cat "$work/asked")"
}
for ((i = 0; i < runs; ++i)); do
    measured "tables" noatime
    measured "walk after reading ahead" noatime,lazytime # of which the tables are not believed
    measured "walk" noatime --walk
done
