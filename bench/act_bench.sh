#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# What moving and deleting costs beside the plainest tools: `act_bench.sh [FOLDER] [FILES]`, as root. FOLDER holds two
# ext4 images (it should be fast and have 8 GiB to spare; /dev/shm unless given); FILES is how many entries are deleted.
# Prints the time of each command and their ratio; run it when nothing else runs.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
command -v xxh128sum >/dev/null || { echo "xxh128sum is missing: apt-get install xxhash" >&2; exit 1; }
kurvoctl=$root/build/release/src/cli/kurvoctl
work=$(mktemp -d)
images=$(mktemp -d "${1:-/dev/shm}/kurvo-bench-XXXXXX")
files=${2:-1000000}
trap 'umount "$work/a" "$work/b" 2>/dev/null || true; rm -rf "$work" "$images"' EXIT
export HOME=$work/home XDG_DATA_HOME=$work/data
mkdir -p "$work/a" "$work/b" "$work/home"
mount_both() {
    umount "$work/a" "$work/b" 2>/dev/null || true
    for one in a b; do
        rm -f "$images/$one.img"
        truncate -s 6G "$images/$one.img"
        mkfs.ext4 -q -E lazy_itable_init=0,lazy_journal_init=0 -N 1500000 "$images/$one.img"
        mount -o loop "$images/$one.img" "$work/$one"
    done
}
seconds() { # COMMAND...
    local begin end
    begin=$(date +%s.%N)
    "$@" >/dev/null
    end=$(date +%s.%N)
    echo "$end - $begin" | bc
}
hash_pass() { find "$1" -type f -print0 | xargs -0 xxh128sum 2>/dev/null; }
copy() { cp --sparse=always -a "$work/a/set" "$work/b/set" && sync -f "$work/b" && hash_pass "$work/b/set"; }
move() { "$kurvoctl" plan apply "$work/plan.json"; }
ratio() { printf '%-28s %8.2f s   plainest tools %8.2f s   ratio of speeds %.2f\n' "$1" "$2" "$3" "$(echo "$3 / $2" | bc -l)"; }
compare_moves() { # NAME MAKER
    for round in 1 2 3; do
        mount_both
        mkdir "$work/a/set"
        "$2" "$work/a/set"
        sync -f "$work/a"
        local theirs ours
        theirs=$(seconds copy)
        rm -rf "$work/b/set"
        sync -f "$work/b"
        "$kurvoctl" plan make --force "$work/a/set" --action move --to "$work/b" -o "$work/plan.json"
        ours=$(seconds move)
        [ -e "$work/b/set" ] && [ ! -e "$work/a/set" ]
        ratio "$1, $round" "$ours" "$theirs"
    done
}
large() { head -c 2G /dev/urandom >"$1/season.wav"; }
# FOLDER COUNT BYTES: so many files, a thousand a folder.
make_files() {
    python3 - "$@" <<'P'
import os, sys
folder, count, size = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
data = os.urandom(size + 997)
for i in range(count):
    if i % 1000 == 0:
        os.mkdir(f"{folder}/d{i // 1000}")
    with open(f"{folder}/d{i // 1000}/f{i}", "wb") as f:
        f.write(data[i % 997 : i % 997 + size])
P
}
small() { make_files "$1" 100000 3000; }
many() { make_files "$1" "$files" 0; }
compare_moves "one file of 2 GiB" large
compare_moves "100,000 files of 3 KiB" small
for round in 1 2 3; do
    mount_both
    mkdir "$work/a/set"
    many "$work/a/set"
    sync -f "$work/a"
    theirs=$(seconds rm -rf "$work/a/set")
    mkdir "$work/a/set"
    many "$work/a/set"
    sync -f "$work/a"
    "$kurvoctl" plan make --force "$work/a/set" --action delete -o "$work/plan.json"
    ours=$(seconds "$kurvoctl" plan apply "$work/plan.json" --delete 1)
    [ ! -e "$work/a/set" ]
    ratio "deleting $files, $round" "$ours" "$theirs"
done
