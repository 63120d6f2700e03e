#!/bin/sh
# SPDX-License-Identifier: GPL-3.0-or-later
# snapshot_page.sh LOWDOWN PAGE.md DAY VERSION: docs/snapshot-format.md as a manual page, on standard output.
set -eu
printf "'\\\\\" t\n"
"$1" -s -Tman -M title=kurvo-snapshot -M section=5 -M date="$3" -M source="Kurvo $4" -M volume="File Formats" "$2" |
    sed -e '1d' -e 's/\\fC/\\fB/g' -e '3,4c\.SH NAME\nkurvo-snapshot \\- the file that holds a finished scan of Kurvo\n.SH DESCRIPTION' |
    awk '/^\.(PP|LP)$/ && (heading || /SH DESCRIPTION/) { next }
         { heading = before ~ /^\.S[SH]$/ || /^\.S[SH] / ; before = $0; print }'
