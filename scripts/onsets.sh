#!/usr/bin/env bash
# Strokes found here beside those of a detector from PyPI, written to docs/accuracy-onsets.md. Usage: scripts/onsets.sh [FROM TO SECONDS]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/beside.sh

cargo run --quiet --package marea-scene --bin onsets -- "${1:-9601}" "${2:-9616}" "${3:-40}" target/onsets/played
"$python" scripts/onsets.py target/onsets/played docs/accuracy-onsets.md
