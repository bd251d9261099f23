#!/usr/bin/env bash
# Strokes found here beside those of a detector from PyPI, written to docs/accuracy-onsets.md. Usage: scripts/onsets.sh [FROM TO SECONDS]
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/logged.sh

place=target/onsets
if [ ! -x "$place/env/bin/python" ]; then
  logged "Making a place for Python's packages" python3 -m venv "$place/env"
fi
logged "Installing librosa and mir_eval" "$place/env/bin/pip" install --quiet --disable-pip-version-check librosa==0.11.0 mir_eval==0.8.2
cargo run --quiet --package marea-scene --bin onsets -- "${1:-9601}" "${2:-9616}" "${3:-40}" "$place/played"
"$place/env/bin/python" scripts/onsets.py "$place/played" docs/accuracy-onsets.md
