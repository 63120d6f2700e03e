#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Walks through the running window as a screen reader does: over the accessibility bus (AT-SPI 2), with a display and a
# session bus of its own. Each stage: what takes the focus has a name, the pictures have their items, nothing of a stage
# that is not seen is told. The reader runs before the window is started. Needs xvfb, dbus-x11, at-spi2-core,
# gir1.2-atspi-2.0 and python3-gi. Usage: tools/accessible_walk.sh [BUILD]
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
build=${1:-$root/build/release}
home=$(mktemp -d)
trap 'rm -rf "$home"' EXIT
export HOME=$home XDG_DATA_HOME=$home/data XDG_CONFIG_HOME=$home/config XDG_RUNTIME_DIR=$home
export QT_QPA_PLATFORM=xcb QT_LINUX_ACCESSIBILITY_ALWAYS_ON=1 LC_ALL=C.UTF-8
chmod 700 "$home"
exec 3>&1
# shellcheck disable=SC2016 # for the inner shell
xvfb-run -a -s "-screen 0 1400x900x24" dbus-run-session -- bash -c '
    for launcher in /usr/libexec/at-spi-bus-launcher /usr/lib/at-spi2-core/at-spi-bus-launcher; do
        [ -x "$launcher" ] && { "$launcher" --launch-immediately & break; }
    done
    sleep 1
    exec /usr/bin/python3 "$0" "$1" >&3' "$root/tools/accessible_walk.py" "$build/src/app/kurvo" 2>"$home/err" || { tail -20 "$home/err" >&2; exit 1; }
