#!/usr/bin/env bash
# Fetches the source of zstd's decoder, as Debian has it, for the launchers of systems that Debian has no library for.
# Changes nothing of the system: apt's lists of sources go into a folder of our own.
set -euo pipefail
cd "$(dirname "$0")/.."
to=build/sources
[ -f "$to/zstd/lib/zstd.h" ] && exit 0
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
# Lists of others may have no sources: what counts is whether the one is found.
apt-get "${options[@]}" update >"$log" 2>&1 || true
# A mirror may list a version that it does not hold any more: then an older one does, whose upstream source is the same.
fetched=no
for version in $(apt-cache "${options[@]}" showsrc libzstd 2>>"$log" | sed -n 's/^Version: //p' | sort -rVu); do
    if (cd "$work" && apt-get "${options[@]}" source --download-only "libzstd=$version") >>"$log" 2>&1; then
        fetched=yes
        break
    fi
    rm -f "$work"/libzstd_*
done
if [ "$fetched" = no ]; then
    cat "$log" >&2
    exit 4
fi
mkdir "$work/zstd"
tar -xf "$work"/libzstd_*.orig.tar.* -C "$work/zstd" --strip-components=1 2>/dev/null ||
    tar -xf "$(ls "$work"/libzstd_*.orig.tar.xz "$work"/libzstd_*.orig.tar.gz 2>/dev/null | head -1)" -C "$work/zstd" --strip-components=1
rm -rf "$to/zstd"
mv "$work/zstd" "$to/zstd"
