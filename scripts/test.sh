#!/usr/bin/env bash
# Runs every test there is: form and habits, Rust units and integration, the page's units, the browser.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/packages.sh test
scripts/build.sh
scripts/lint.sh
scripts/suite.sh "$@"
