#!/usr/bin/env bash
# Installs what is missing, builds Omnistasis, and runs the full example: an application becomes an executable that
# runs where nothing is installed.
set -euo pipefail
cd "$(dirname "$0")"
scripts/set-up.sh
echo
build/release/bin/omnistasis demo build/tideboard-demo --runtime /usr/bin/python3

scripts/fetch_runtimes.sh
export OMNISTASIS_RUNTIMES=$PWD/build/runtime-stock
for runtime in build/runtimes/*; do build/release/bin/omnistasis runtimes add "$runtime" >/dev/null; done

# The same for Windows. Its launcher keeps no state yet: there the logbook begins anew with each version.
if [ -f build/runtimes/python-windows-x86_64/done ]; then
    rm -rf build/tideboard-windows
    cp -r build/release/share/omnistasis/demo/tideboard build/tideboard-windows
    sed -i '/^\[\[state\]\]/,$d' build/tideboard-windows/omnistasis.toml
    echo
    build/release/bin/omnistasis build build/tideboard-windows --target windows-x86_64 --mode window --runtime /usr/bin/python3
else
    echo "tideboard.exe is skipped: there is no Python for Windows here"
fi

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
