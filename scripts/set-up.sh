#!/usr/bin/env bash
# Installs the Debian packages that are missing and builds a preset: `release`, the program, or `tests`, the program and its
# tests. Does nothing that was done before.
set -euo pipefail
cd "$(dirname "$0")/.."

missing=()
while read -r package; do
    dpkg-query -W -f '${Status}' "$package" 2>/dev/null | grep -q 'ok installed' || missing+=("$package")
done < <(grep -v '^#' scripts/packages.txt)

if [ "${#missing[@]}" -gt 0 ]; then
    install=(env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends "${missing[@]}")
    if [ "$(id -u)" -eq 0 ]; then
        as_root=()
    elif command -v sudo >/dev/null; then
        echo "These Debian packages are missing: ${missing[*]}"
        read -r -p "Install them with sudo? [Y/n] " answer
        case "$answer" in [nN]*) echo "Install them and start this again."; exit 4 ;; esac
        as_root=(sudo)
    else
        echo "These Debian packages are missing; install them as root: ${missing[*]}" >&2
        exit 4
    fi
    log=$(mktemp)
    echo "installing ${#missing[@]} Debian packages ..."
    if ! { "${as_root[@]}" apt-get update -q && "${as_root[@]}" "${install[@]}"; } >"$log" 2>&1; then
        cat "$log" >&2
        exit 4
    fi
    rm -f "$log"
fi

scripts/fetch_sources.sh
preset=${1:-release}
cmake --preset "$preset" >/dev/null
cmake --build --preset "$preset"
