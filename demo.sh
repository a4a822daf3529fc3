#!/usr/bin/env bash
# Installs what is missing, builds Omnistasis, and runs the full example: an application becomes an executable that
# runs where nothing is installed.
set -euo pipefail
cd "$(dirname "$0")"
scripts/set-up.sh
echo
build/release/bin/omnistasis demo build/tideboard-demo --runtime /usr/bin/python3

# The second program, for four systems in one command.
scripts/fetch_runtimes.sh
export OMNISTASIS_RUNTIMES=$PWD/build/runtime-stock
for runtime in build/runtimes/*; do build/release/bin/omnistasis runtimes add "$runtime" >/dev/null; done
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
