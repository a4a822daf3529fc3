#!/usr/bin/env bash
# Installs what is missing, builds Omnistasis, and runs the full example: an application becomes an executable that
# runs where nothing is installed.
set -euo pipefail
cd "$(dirname "$0")"
scripts/set-up.sh
echo
exec build/release/bin/omnistasis demo build/tideboard-demo --runtime /usr/bin/python3
