#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Has clang check that what a lock guards is touched under it only (src/core/base/locks.h). Compiles nothing.
set -euo pipefail
cd "$(dirname "${BASH_SOURCE[0]}")/.."
mapfile -t files < <(grep -lE 'core/base/locks.h|pause_gate.h|core/(scan/(walk|scanner)|marks/marks|act/busy|tree/node_store)\.h' -r src/core --include=*.cpp)
printf '%s\0' "${files[@]}" | xargs -0 -P "$(nproc)" -n 4 clang++-14 -std=c++20 -fsyntax-only -D_GNU_SOURCE -D_FILE_OFFSET_BITS=64 \
    -Isrc -Wthread-safety -Werror
echo "All tests passed (${#files[@]} assertions in 1 test case)" # a file each; as test.sh counts
