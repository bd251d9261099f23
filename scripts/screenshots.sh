#!/usr/bin/env bash
# Takes the pictures in docs/screenshots from the demo session.
set -euo pipefail
cd "$(dirname "$0")/.."
scripts/packages.sh test
scripts/build.sh
# With the features of all crates together: others would be compiled anew.
cargo test --quiet --workspace --test screenshots -- --ignored
