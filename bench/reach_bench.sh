#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# reach_bench.sh DIR [PAIRS]: the same folder scanned here and over SSH to this machine, in alternating pairs, and what comes
# over the connection. KURVO_SSH names an ssh that reaches this machine as "desk", with kurvoctl in its PATH.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
kurvoctl=$root/build/release/src/cli/kurvoctl
folder=$1
seconds() { local begin=$EPOCHREALTIME; "$@" >/dev/null; echo "$begin $EPOCHREALTIME" | awk '{ printf "%.2f", $2 - $1 }'; }
for ((i = 0; i < ${2:-5}; ++i)); do
    here=$(seconds "$kurvoctl" scan "$folder" -q)
    far=$(seconds "$kurvoctl" scan "desk:$folder" -q)
    echo "here $here s, over SSH $far s, ratio $(echo "$far $here" | awk '{ printf "%.2f", $1 / $2 }')"
done
bytes=$({ printf 'kurvo-request 4\0with-facts\0place %s\0end\0' "$folder"; sleep 20; } | "$kurvoctl" serve | wc -c)
entries=$("$kurvoctl" scan "$folder" --json | sed -E 's/.*"files": ([0-9]+), "folders": ([0-9]+).*/\1 \2/' | awk '{ print $1 + $2 }')
echo "$bytes bytes for $entries entries: $(echo "$bytes $entries" | awk '{ printf "%.1f", $1 / $2 }') each"
