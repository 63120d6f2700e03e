#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Makes every picture of docs/screenshots anew from the demo data.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing xterm xvfb imagemagick xdotool fonts-dejavu-core
build release kurvo-tour
work=/tmp/skerry-point # it shows in the pictures
rm -rf "$work"
drive=
clean() {
    [ -z "$drive" ] || { kill "$recorder" || true; wait; umount "$drive/tides" "$drive"; rm -f "$stick"; }
    rm -rf "$work"
}
trap clean EXIT
mkdir -p "$work/home"
export HOME=$work/home XDG_DATA_HOME=$work/home/data XDG_CONFIG_HOME=$work/home/config XDG_RUNTIME_DIR=$work/home TZ=UTC
chmod 700 "$work/home"
unset DISPLAY WAYLAND_DISPLAY
if [ "$(id -u)" = 0 ]; then # a stick with something of everything that a ledger explains
    drive=$work/FIELD
    mkdir "$drive"
    stick=$(mktemp -p /dev/shm) # not on the drive that is cleared
    truncate -s 900M "$stick"
    mkfs.ext4 -q "$stick"
    mount -o loop "$stick" "$drive"
    mkdir -p "$drive/2026/June" "$drive/tides"
    for hour in 04 05 06 07; do head -c 60M /dev/urandom >"$drive/2026/June/dawn-$hour.wav"; done
    head -c 35M /dev/urandom >"$drive/tides/chart-1"
    mount -t tmpfs tides "$drive/tides"
    cp "$(command -v sleep)" "$work/recorder"
    head -c 110M /dev/urandom >"$drive/buffer.raw"
    "$work/recorder" 600 <"$drive/buffer.raw" &
    recorder=$!
    rm "$drive/buffer.raw"
    sync
fi
"$root/build/release/tools/kurvo-tour" "$root/docs/screenshots" "$work" $drive
# The terminal view, in a terminal.
build release kurvoctl kurvo-make-demo
"$root/build/release/demo/kurvo-make-demo" "$work/demo" >/dev/null
Xvfb :97 -screen 0 1200x760x24 >/dev/null 2>&1 &
server=$!
export LC_ALL=C.UTF-8 DISPLAY=:97
sleep 1
xterm -tn xterm-256color -geometry 110x32+0+0 -fa 'DejaVu Sans Mono' -fs 11 -bg '#14181d' -fg '#d5dbe1' -b 8 -e "$root/build/release/src/cli/kurvoctl" browse \
    --data "$work/demo" --in "$work/demo/snapshots" "$work/demo/snapshots/skerry-system-2026-06.kurvo" &
terminal=$!
sleep 3
xdotool key Return sleep 0.4 key Return sleep 0.4 key Right sleep 0.4 key Down sleep 0.5
import -window "$(xdotool search --class xterm | tail -n 1)" "$root/docs/screenshots/terminal.png"
kill "$terminal" "$server" || true
unset DISPLAY
rm -f "$root/docs/screenshots/report.html" # the example keeps it
