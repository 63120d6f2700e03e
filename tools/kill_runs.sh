#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# kill_runs.sh [ROUNDS] [SEED]: mixed plans killed at random moments, 200 unless given, each followed by recovery and a
# comparison of everything by hash. Needs root, for mounts. docs/reliability.md has what came of it.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing
build release core_tests
KURVO_KILL_ROUNDS=${1:-200} KURVO_KILL_SEED=${2:-$RANDOM} "$root/build/release/tests/core_tests" \
    'killed at any moment*'
