#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# The whole of what tests/core/act/adversary_test.cpp and steps_test.cpp take a share of: somebody else acts before each
# single step of trashing, deleting, moving, taking back, emptying and recovering. As root; takes about an hour. Prints a
# line for each pair: steps, rounds, how often the adversary could act, how often the work was carried out, bytes lost.
# `adversary.sh [FILTER]`, a filter of the tests.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
build release core_tests
work=$(mktemp -d)
mount -t tmpfs -o size=2g none "$work" # not below /dev, where everything is protected
trap 'umount -l "$work"; rmdir "$work"' EXIT
chmod 755 "$work"
mkdir -m 700 "$work/home"
run() { # WORK, by its numbers in the test
    TMPDIR=$work HOME=$work/home XDG_DATA_HOME=$work/home/data KURVO_ALL_STEPS=1 KURVO_ADVERSARY_WORK=$1 \
        "$root/build/release/tests/core_tests" "${2:-[adversary]}"
}
if [ $# -gt 0 ]; then
    run 0123456 "$1"
else
    run 0145 >"$work/a" 2>&1 &
    run 236 || true
    wait $! || true
    cat "$work/a"
fi
