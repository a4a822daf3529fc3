#!/usr/bin/env bash
# Installs what is missing, builds Omnistasis, and passes its tests.
set -euo pipefail
cd "$(dirname "$0")"
scripts/set-up.sh tests
scripts/fetch_runtimes.sh
exec ctest --test-dir build/release --output-on-failure --no-tests=error -j "$(nproc)" -LE soak "$@"
