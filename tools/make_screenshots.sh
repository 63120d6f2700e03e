#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Makes every picture of docs/screenshots anew from the demo data.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing
build release kurvo-tour
work=/tmp/skerry-point # it shows in the pictures
rm -rf "$work"
trap 'rm -rf "$work"' EXIT
mkdir -p "$work/home"
export HOME=$work/home XDG_DATA_HOME=$work/home/data XDG_CONFIG_HOME=$work/home/config XDG_RUNTIME_DIR=$work/home TZ=UTC
chmod 700 "$work/home"
unset DISPLAY WAYLAND_DISPLAY
"$root/build/release/tools/kurvo-tour" "$root/docs/screenshots" "$work"
