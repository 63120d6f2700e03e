#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# What reading a drive's own tables costs beside walking it: `direct_bench.sh DRIVE [PAIRS]`, as root. DRIVE is the mount
# point of an ext4 drive with many files. Both in turn, warm and with the caches dropped before each; prints seconds and
# their ratio. Run it when nothing else runs.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
kurvoctl=$root/build/release/src/cli/kurvoctl
drive=${1:?the mount point of an ext4 drive}
pairs=${2:-5}
seconds() { # OPTION...
    "$kurvoctl" scan "$drive" --json "$@" | grep -o '"elapsed_seconds": [0-9.]*' | cut -d' ' -f2
}
cold() {
    sync
    echo 3 >/proc/sys/vm/drop_caches
}
"$kurvoctl" scan "$drive" --json | grep -q '"method": "tables"' || {
    echo "the tables of $drive cannot be read" >&2
    exit 1
}
for before in : cold; do
    for ((i = 0; i < pairs; ++i)); do
        $before
        walk=$(seconds --walk)
        $before
        tables=$(seconds)
        echo "$([[ $before == : ]] && echo warm || echo cold): walk $walk s, tables $tables s, ratio $(echo "scale=3; $tables / $walk" | bc)"
    done
done
