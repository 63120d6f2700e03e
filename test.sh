#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing, builds and runs all tests. With --sanitizers it does so under ASan+UBSan and TSan as well.
# The last line is the total: N passed, N failed.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
. "$root/tools/prepare.sh"
install_missing

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
chmod 755 "$work"
export QT_QPA_PLATFORM=offscreen TMPDIR=$work HOME=$work/home XDG_DATA_HOME=$work/home/data XDG_CONFIG_HOME=$work/home/config
export XDG_RUNTIME_DIR=$work/home DBUS_SESSION_BUS_ADDRESS=disabled:
export LSAN_OPTIONS=suppressions=$root/tools/lsan.supp:print_suppressions=0
mkdir -p "$HOME"
chmod 700 "$HOME"
passed=0
failed=0

# run PRESET PROGRAM [FILTER]
run() {
    local preset=$1 program=$2 out=$work/out status=0 p f
    shift 2
    echo "== $preset: $program $*"
    "$root/build/$preset/tests/$program" "$@" >"$out" 2>&1 || status=$?
    p=$(sed -nE 's/^All tests passed \([0-9,]+ assertions? in ([0-9]+) test cases?\)$/\1/p; s/^test cases: *[0-9]+ \| *([0-9]+) passed.*/\1/p' "$out" | tail -n 1)
    f=$(sed -nE 's/^test cases:.*\| *([0-9]+) failed.*/\1/p' "$out" | tail -n 1)
    [ "$status" -ne 0 ] && [ -z "$f" ] && f=1 # it crashed, or a sanitizer ended it
    [ "$status" -ne 0 ] && cat "$out"
    echo "   ${p:-0} passed, ${f:-0} failed"
    passed=$((passed + ${p:-0}))
    failed=$((failed + ${f:-0}))
}

build release kurvo kurvoctl kurvo-make-demo kurvo-tour tests
for program in core_tests cli_tests demo_tests app_tests; do run release $program; done
if [ "${1:-}" = --sanitizers ]; then
    build asan tests
    for program in core_tests cli_tests demo_tests app_tests; do run asan $program; done
    build tsan core_tests
    run tsan core_tests '[tree],[scan],[helper],[plan],[snapshot],[explore],[filter],[order],[duplicates],[marks]'
fi
echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ]
