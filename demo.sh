#!/usr/bin/env bash
# Installs what is missing, builds Omnistasis, and runs the full example: an application becomes an executable that
# runs where nothing is installed.
set -euo pipefail
cd "$(dirname "$0")"
scripts/set-up.sh
echo
build/release/bin/omnistasis demo build/tideboard-demo --runtime /usr/bin/python3

scripts/fetch_runtimes.sh
export OMNISTASIS_RUNTIMES=$PWD/build/runtime-stock OMNISTASIS_PACKAGES=$PWD/build/package-stock
for runtime in build/runtimes/*; do build/release/bin/omnistasis runtimes add "$runtime" >/dev/null; done

# The same for the other four targets. Python for them comes from registries; what one of them does not give is skipped.
rm -rf build/tideboard-elsewhere
cp -r build/release/share/omnistasis/demo/tideboard build/tideboard-elsewhere
here="linux-$(uname -m)"
# A runtime of the stock, or one from a registry: target, version.
have_python() {
    build/release/bin/omnistasis runtimes list | grep -q "^python-$2.*-$1-" ||
        build/release/bin/omnistasis runtimes fetch python --target "$1" --version "$2"
}
for target in windows-x86_64 linux-aarch64 macos-x86_64 macos-aarch64; do
    [ "$target" != "$here" ] || continue
    echo
    # The one for Apple's processors is newer than Debian's: its bytecode is made by one of its version.
    if [ "$target" = macos-aarch64 ]; then
        { have_python "$target" 3.13 && have_python "$here" 3.13; } || { echo "tideboard for $target is skipped"; continue; }
    else
        have_python "$target" 3.11 || { echo "tideboard for $target is skipped"; continue; }
    fi
    build/release/bin/omnistasis build build/tideboard-elsewhere --target "$target" --mode window --runtime /usr/bin/python3
    case $target in
        macos-*) build/release/bin/omnistasis prove "build/tideboard-elsewhere/out/$target/tideboard.app.zip" ;;
        linux-*) build/release/bin/omnistasis prove "build/tideboard-elsewhere/out/$target/tideboard" -- today --station halcyon ;;
        windows-*) build/release/bin/omnistasis prove "build/tideboard-elsewhere/out/$target/tideboard.exe" --display -- window ;;
    esac
done

# The second program, for four systems in one command.
rm -rf build/noticeboard-demo
cp -r demo/harbour/noticeboard build/noticeboard-demo
echo
build/release/bin/omnistasis build build/noticeboard-demo
echo
build/noticeboard-demo/out/linux-x86_64/noticeboard print

# The third, in Lua.
rm -rf build/lampsequence-demo
cp -r demo/harbour/lampsequence build/lampsequence-demo
echo
build/release/bin/omnistasis build build/lampsequence-demo
echo
build/lampsequence-demo/out/linux-x86_64/lampsequence --seconds 15
