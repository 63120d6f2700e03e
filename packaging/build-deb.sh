#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Builds the Debian packages in a clean tree, from what is committed, and puts them into build/packages.
# Usage: packaging/build-deb.sh [BUILD]: packs that build folder as it is instead, into build/packages-tried.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing debhelper dpkg-dev fakeroot lowdown librsvg2-bin
out=$root/build/packages
if [ $# -gt 0 ]; then
    KURVO_BUILT=$(cd "$1" && pwd)
    export KURVO_BUILT DEB_BUILD_OPTIONS=noautodbgsym
    out=$root/build/packages-tried
fi
tree=$root/build/deb # always the same, so that the compiler's cache knows it again
rm -rf "$tree"
mkdir -p "$out" "$tree/kurvo"
if ! git -c safe.directory="$root" -C "$root" archive --format=tar HEAD >"$tree/committed.tar"; then
    tar -C "$root" --exclude=./build --exclude=./.git -cf "$tree/committed.tar" . # no repository: what lies here
fi
tar -x -C "$tree/kurvo" -f "$tree/committed.tar"
cp -r "$tree/kurvo/packaging/debian" "$tree/kurvo/debian"
cd "$tree/kurvo"
DEB_BUILD_OPTIONS="parallel=$(nproc) ${DEB_BUILD_OPTIONS:-}"
export CCACHE_BASEDIR=$tree DEB_BUILD_OPTIONS
dpkg-buildpackage --build=binary --no-sign >"$tree/log" 2>&1 || { tail -50 "$tree/log" >&2; exit 1; }
cp "$tree"/*.deb "$tree"/*.changes "$tree"/*.buildinfo "$out/"
rm -rf "$tree"
ls -l "$out"/*.deb
