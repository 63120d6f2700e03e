# shellcheck shell=bash disable=SC2154
# SPDX-License-Identifier: GPL-3.0-or-later
# Sourced by run.sh and test.sh: installs what is missing, and builds.

# The compiler's cache outlives the homes that tests and examples are given, and a clone elsewhere finds what it needs.
export CCACHE_DIR=${CCACHE_DIR:-${HOME:-/root}/.cache/ccache} CCACHE_BASEDIR=$root CCACHE_NOHASHDIR=1

# install_missing [PACKAGE...]: what packages.txt lists, and these.
install_missing() {
    local wanted missing=()
    wanted="$(grep -v '^#' "$root/tools/packages.txt") $*"
    for package in $wanted; do
        dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
    done
    [ ${#missing[@]} -eq 0 ] && return
    echo "Installing from Debian: ${missing[*]}"
    local as_root=()
    if [ "$(id -u)" -ne 0 ]; then
        command -v sudo >/dev/null || { echo "Install these as root first: apt-get install ${missing[*]}" >&2; exit 1; }
        echo "This asks for your password, for apt-get only."
        as_root=(sudo)
    fi
    "${as_root[@]}" apt-get update -qq
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends "${missing[@]}" >/dev/null
}

# build PRESET TARGET...
build() {
    local preset=$1
    shift
    [ -f "$root/build/$preset/build.ninja" ] || (cd "$root" && cmake --preset "$preset" >/dev/null)
    cmake --build "$root/build/$preset" --target "$@"
}
