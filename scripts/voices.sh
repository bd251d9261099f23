#!/usr/bin/env bash
# Pitch and doubles told here beside those of a library from PyPI, written to docs/accuracy-voices.md. Usage: scripts/voices.sh [FROM TO SECONDS]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/beside.sh

cargo run --quiet --package marea-scene --bin voices -- "${1:-1101}" "${2:-1112}" "${3:-30}" target/onsets/sung
"$python" scripts/voices.py target/onsets/sung docs/accuracy-voices.md
