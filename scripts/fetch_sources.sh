#!/usr/bin/env bash
# Fetches the sources of zstd's decoder and of libsodium's check of signatures, as Debian has them, for the launchers of
# systems that Debian has no libraries for. Changes nothing of the system: apt's lists of sources go into a folder of our own.
set -euo pipefail
cd "$(dirname "$0")/.."
to=build/sources
[ -f "$to/zstd/lib/zstd.h" ] && [ -d "$to/libsodium/src/libsodium" ] && exit 0
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
mkdir -p "$work/parts" "$work/lists/partial" "$to"
for list in /etc/apt/sources.list.d/*.sources; do
    [ -f "$list" ] && sed -n '/^Types:/{s/^Types:.*/Types: deb-src/};p' "$list" >"$work/parts/$(basename "$list")"
done
for list in /etc/apt/sources.list /etc/apt/sources.list.d/*.list; do
    [ -f "$list" ] && sed -n 's/^deb /deb-src /p' "$list" >"$work/parts/$(basename "$list" .list)-own.list"
done
options=(-q -o Dir::Etc::SourceList=/dev/null -o "Dir::Etc::SourceParts=$work/parts" -o "Dir::State::Lists=$work/lists"
    -o APT::Sandbox::User="$(id -un)" -o Debug::NoLocking=true)
log="$work/log"
# Lists of others may have no sources: what counts is whether these are found.
apt-get "${options[@]}" update >"$log" 2>&1 || true

# fetch PACKAGE FOLDER
fetch() {
    local package=$1 folder=$2 version
    # A mirror may list a version that it does not hold any more: then an older one does, whose upstream source is the same.
    for version in $(apt-cache "${options[@]}" showsrc "$package" 2>>"$log" | sed -n 's/^Version: //p' | sort -rVu); do
        if (cd "$work" && apt-get "${options[@]}" source --download-only "$package=$version") >>"$log" 2>&1; then
            mkdir "$work/$folder"
            tar -xf "$(ls "$work/${package}_"*.orig.tar.* | grep -v '\.asc$' | head -1)" -C "$work/$folder" --strip-components=1
            rm -rf "${to:?}/$folder"
            mv "$work/$folder" "$to/$folder"
            return
        fi
        rm -f "$work/${package}"_*
    done
    cat "$log" >&2
    exit 4
}

[ -f "$to/zstd/lib/zstd.h" ] || fetch libzstd zstd
[ -d "$to/libsodium/src/libsodium" ] || fetch libsodium libsodium
