#!/usr/bin/env bash
# SPDX-License-Identifier: GPL-3.0-or-later
# Builds the folder that is carried along, kurvo-VERSION-x86_64.tar.zst, and kurvoctl as one file, into build/packages.
# kurvoctl and Kurvo's own code are linked statically but for glibc; Qt and what it needs lie in lib and plugins.
set -euo pipefail
root=$(cd "$(dirname "${BASH_SOURCE[0]}")/.." && pwd)
. "$root/tools/prepare.sh"
install_missing patchelf zstd lowdown librsvg2-bin qt6-wayland
build=$root/build/carried
out=$root/build/packages
cmake -S "$root" -B "$build" -G Ninja -DCMAKE_BUILD_TYPE=Release -DKURVO_CARRIED=ON -DKURVO_TESTS=OFF -DKURVO_WERROR=ON \
    -DCMAKE_EXE_LINKER_FLAGS="-Wl,-z,relro,-z,now" >/dev/null
cmake --build "$build"
version=$(sed -nE 's/^project\(kurvo VERSION ([0-9.]+).*/\1/p' "$root/CMakeLists.txt")
name=kurvo-$version-$(uname -m)
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
folder=$work/$name
mkdir -p "$folder"/{lib,libexec,fonts,plugins} "$out"

install -s "$build/src/app/kurvo" "$build/src/cli/kurvoctl" "$folder/"
install -s "$build/src/preview/kurvo-preview" "$folder/libexec/"
install -m 644 "$build/src/scanner/kurvo-scan.gz" "$folder/libexec/"
cp "$root/packaging/portable/README.txt" "$root/LICENSE" "$folder/"
printf '[Paths]\nPrefix=.\nPlugins=plugins\n' >"$folder/qt.conf"
printf '[Paths]\nPrefix=..\nPlugins=plugins\n' >"$folder/libexec/qt.conf"
cp /usr/share/fonts/opentype/inter/Inter-{Regular,Medium,SemiBold,Bold}.otf "$folder/fonts/"

plugins=$(qtpaths6 --query QT_INSTALL_PLUGINS 2>/dev/null || echo "/usr/lib/$(uname -m)-linux-gnu/qt6/plugins")
for plugin in platforms/libq{xcb,offscreen,minimal,wayland-generic,wayland-egl}.so imageformats/libq{jpeg,gif,ico,svg}.so \
    iconengines/libqsvgicon.so platforminputcontexts/lib{compose,ibus}platforminputcontextplugin.so \
    platformthemes/libqxdgdesktopportal.so printsupport/libcupsprintersupport.so xcbglintegrations/libqxcb-glx-integration.so \
    wayland-shell-integration/libxdg-shell.so wayland-decoration-client/libbradient.so; do
    if [ -f "$plugins/$plugin" ]; then install -D "$plugins/$plugin" "$folder/plugins/$plugin"; else echo "Left out: $plugin" >&2; fi
done

# What they need and glibc is not. The path of the programs counts for all that they load (DT_RPATH).
find "$folder" -type f \( -perm -100 -o -name '*.so' \) -print0 | xargs -0 ldd 2>/dev/null |
    awk '$2 == "=>" && $3 ~ /^\// { print $3 }' | sort -u |
    grep -vE '/(ld-linux[^/]*|lib(c|m|dl|pthread|rt|resolv|util|anl|nsl|nss_[a-z]+))\.so' |
    while read -r library; do cp -L "$library" "$folder/lib/"; done
find "$folder/lib" "$folder/plugins" -name '*.so*' -type f -exec chmod 644 {} + -exec strip --strip-unneeded {} +
# shellcheck disable=SC2016 # for the loader
patchelf --force-rpath --set-rpath '$ORIGIN/lib' "$folder/kurvo"
# shellcheck disable=SC2016
patchelf --force-rpath --set-rpath '$ORIGIN/../lib' "$folder/libexec/kurvo-preview"

DESTDIR=$work/installed cmake --install "$build" --prefix /usr >/dev/null
mkdir -p "$folder/share"
cp -r "$work/installed/usr/share/"{man,bash-completion,zsh,fish,icons} "$folder/share/"

tar -C "$work" --owner=0 --group=0 --numeric-owner --sort=name -cf - "$name" | zstd -19 -T0 -q -f -o "$out/$name.tar.zst"
cp "$folder/kurvoctl" "$out/kurvoctl-$version-$(uname -m)"
ls -l "$out/$name.tar.zst" "$out/kurvoctl-$version-$(uname -m)"
