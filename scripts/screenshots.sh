#!/usr/bin/env bash
# Takes the pictures in docs/screenshots from the demo session.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/packages.sh test
scripts/build.sh
cargo test --quiet --package marea-server --test screenshots -- --ignored
