#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Has the field's own checkers read what is installed: desktop file, metainfo, manual pages, scripts, and the packages,
# packed from build/release as it is. Says nothing but the total when all is clean.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing appstream desktop-file-utils mandoc shellcheck lintian debhelper dpkg-dev fakeroot lowdown librsvg2-bin
cd "$root"
cmake --preset release >/dev/null
cmake --build build/release --target kurvo kurvoctl kurvo-preview kurvo-scanner manual icons >/dev/null
failed=0
try() {
    local said
    said=$("$@" 2>&1) || { echo "FAILED: $*"; echo "$said" | tail -20; failed=1; }
}
try desktop-file-validate packaging/desktop/org.kurvo.Kurvo.desktop
try appstreamcli validate --no-net packaging/desktop/org.kurvo.Kurvo.metainfo.xml
try mandoc -Tlint -W warning build/release/packaging/man/*.[15]
try shellcheck run.sh test.sh .ci/run packaging/*.sh packaging/man/*.sh tools/*.sh bench/*.sh
rm -rf build/packages-tried
try packaging/build-deb.sh build/release
try lintian --pedantic --fail-on error,warning --tag-display-limit 0 build/packages-tried/*.changes
[ "$failed" -eq 0 ] || exit 1
echo "All tests passed (6 assertions in 1 test case)" # as test.sh counts
