#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Installs what is missing, builds and runs all tests. With --sanitizers it does so under ASan+UBSan and TSan as well.
# The last line is the total: N passed, N failed.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")" && pwd)
. "$root/tools/prepare.sh"
install_missing clang-14 postgresql-15

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
chmod 755 "$work"
export QT_QPA_PLATFORM=offscreen DBUS_SESSION_BUS_ADDRESS=disabled:
export LSAN_OPTIONS=suppressions=$root/tools/lsan.supp:print_suppressions=0

# run PRESET PROGRAM [FILTER]: in a home and a temporary folder of its own, so that several may run at once.
run() {
    local preset=$1 program=$2 own
    shift 2
    own=$(mktemp -d "$work/XXXXXX")
    chmod 755 "$own"
    mkdir -m 700 "$own/home"
    TMPDIR=$own HOME=$own/home XDG_DATA_HOME=$own/home/data XDG_CONFIG_HOME=$own/home/config XDG_RUNTIME_DIR=$own/home \
        count "$preset: $program $*" "$root/build/$preset/tests/$program" "$@" --durations yes
}

add_up() { awk '{ sum += $1 } END { if (NR > 0) print sum }'; }

# count TITLE COMMAND...: adds what a program of tests says to the totals; shows it where something failed.
count() {
    local title=$1 out status=0 p f begin=$SECONDS
    shift
    out=$(mktemp "$work/XXXXXX")
    "$@" >"$out" 2>&1 || status=$?
    p=$(sed -nE 's/^All tests passed \([0-9,]+ assertions? in ([0-9]+) test cases?\)$/\1/p; s/^test cases: *[0-9]+ \| *([0-9]+) passed.*/\1/p' "$out" | add_up)
    f=$(sed -nE 's/^test cases:.*\| *([0-9]+) failed.*/\1/p' "$out" | add_up)
    [ -z "$p$f" ] && f=1 # it never came to its end
    [ "$status" -ne 0 ] && [ -z "$f" ] && f=1 # it crashed, or a sanitizer ended it
    if [ -n "$f" ]; then
        cat "$out"
        # Said again at the end, where it is found.
        { echo "== failed in $title:"; grep -B 8 -A 14 -E 'FAILED:|ERROR: |WARNING: ThreadSanitizer' "$out" | head -n 60; tail -n 4 "$out"; } >>"$work/failures"
    fi
    echo "== $title: ${p:-0} passed, ${f:-0} failed, $((SECONDS - begin)) s"
    # The longest of them, for whoever makes all this faster.
    sed -nE 's/^([0-9]+)\.[0-9]+ s: (.*)/   \1 s: \2/p' "$out" | awk '$1 > 9' | sort -k1,1rn | sed -n 1,3p
    echo "${p:-0} ${f:-0}" >>"$work/totals"
    return 0
}

# What this kernel has not, in a machine of its own with one processor: FAT, and drives that a system runs from.
machines() {
    local machine
    unset KURVO_OTHER_READER
    for machine in fat root-drive encrypted; do
        [ "$machine" = fat ] && grep -qw vfat /proc/filesystems && continue
        count "release: Debian's kernel, $machine" timeout 900 "$root/tools/debian_kernel.sh" "$machine"
    done
}

# side_by_side PRESET JOB...: two at a time, in this order; each a program and perhaps its filter, or "machines". The
# longest come first.
side_by_side() {
    local preset=$1 job
    shift
    for job in "$@"; do
        while [ "$(jobs -pr | wc -l)" -ge 2 ]; do wait -n || true; done
        if [ "$job" = machines ]; then
            machines &
        else
            # shellcheck disable=SC2086 # a program and its filter
            run "$preset" $job &
        fi
    done
    wait
}
machines=() # only root may start them
if [ "$(id -u)" -eq 0 ]; then
    machines=(machines)
    "$root/tools/debian_kernel.sh" install
fi
everything=(app_tests "core_tests [act]" "core_tests ~[act]" model_tests terminal_tests cli_tests demo_tests)

# built PRESET TARGET...: builds, and says how long that took.
built() {
    local begin=$SECONDS
    build "$@"
    echo "== built: $1, $((SECONDS - begin)) s"
}

count "locks, as clang sees them" "$root/tools/check_locks.sh"
built release kurvo kurvoctl kurvo-make-demo kurvo-tour tests
count "what is installed, as the field's checkers see it" "$root/packaging/check.sh"
# Every snapshot that a test leaves behind is read by another program as well.
export KURVO_OTHER_READER=$root/tools/read_snapshot.py
side_by_side release "${machines[@]}" "${everything[@]}"
unset KURVO_OTHER_READER
if [ "${1:-}" = --sanitizers ]; then
    built asan tests
    side_by_side asan "${everything[@]}"
    built tsan core_tests model_tests terminal_tests
    # Qt is not built for it: what happens inside of Qt is left out, and the hand-overs of src/app/services/async.cpp are seen.
    export TSAN_OPTIONS=ignore_noninstrumented_modules=1
    side_by_side tsan "core_tests [scan],[helper],[direct]" \
        "core_tests [tree]~[scan]~[helper]~[direct],[plan]~[act]~[scan],[snapshot]~[damage]~[scan]~[helper],[explore]~[scan],[filter]~[scan],[order],[duplicates]~[scan],[marks]" \
        "core_tests [act]~[kill]" model_tests "terminal_tests [work],[desk]"
fi
[ -f "$work/failures" ] && cat "$work/failures"
read -r passed failed < <(awk '{ p += $1; f += $2 } END { print p, f }' "$work/totals")
echo "$passed passed, $failed failed"
[ "$failed" -eq 0 ]
