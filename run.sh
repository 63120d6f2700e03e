#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing, builds, and starts Kurvo with the demo data; with --terminal the terminal view. Without a display it runs a full example instead and
# writes its pictures to build/example/pictures.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
. "$root/tools/prepare.sh"
install_missing
bin=$root/build/release

if [ "${1:-}" = --terminal ]; then
    build release kurvoctl kurvo-make-demo
    example=$root/build/example
    mkdir -p "$example"
    "$bin/demo/kurvo-make-demo" "$example/demo" >/dev/null
    exec "$bin/src/cli/kurvoctl" browse --data "$example/demo" --in "$example/demo/snapshots" "$example/demo/snapshots/skerry-system-2026-06.kurvo"
fi
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
    build release kurvo kurvoctl
    exec "$bin/src/app/kurvo" --demo "$@"
fi

build release kurvoctl kurvo-make-demo kurvo-tour
echo "No display: running the example in $root/build/example"
example=$root/build/example
mkdir -p "$example/home"
chmod 700 "$example/home"
# The example has a home of its own, so that nobody's trash or settings are touched.
export HOME=$example/home XDG_DATA_HOME=$example/home/data XDG_CONFIG_HOME=$example/home/config XDG_RUNTIME_DIR=$example/home
"$bin/demo/kurvo-make-demo" "$example/demo"
step() { printf '\n$ kurvoctl %s\n' "$*"; "$bin/src/cli/kurvoctl" "$@" || [ $? -eq 1 ]; }
cd "$example/demo"
step scan practice
step largest practice --count 5
step folders snapshots/skerry-system-2026-01.kurvo --depth 1
step folders snapshots/skerry-system-2026-06.kurvo --depth 1
printf '\nPictures of the main views:\n'
"$bin/tools/kurvo-tour" "$example/pictures" "$example/demo"
