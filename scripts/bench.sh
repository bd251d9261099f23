#!/usr/bin/env bash
# Speed as ratios within one run: the core and the media, then the page in a browser, then SciPy when it is there.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/packages.sh test
scripts/build.sh
folder=$(mktemp -d -t marea-bench-XXXXXX)
trap 'rm -rf "$folder"' EXIT
{
  echo "# Speed"
  echo
  echo "Printed by \`make bench\` on a machine with $(nproc) cores. Ratios within one run; the bars are the project's own."
  echo
  cargo run --quiet --package marea-scene --bin bench -- "$folder"
  cargo test --quiet --package marea-server --test bench_page -- --ignored --nocapture --test-threads=1 2>/dev/null | grep '^|' || echo "| a part of the report failed | | |"
  cargo test --quiet --package marea-server --test bench_uploads -- --ignored --nocapture --test-threads=1 2>/dev/null | grep "^|" || echo "| a part of the report failed | | |"
  if python3 -c 'import scipy' 2>/dev/null; then
    python3 benches/correlate.py "$folder/a.wav" "$folder/b.wav"
  else
    echo "| the same pair by SciPy's correlate | SciPy is not installed here | |"
  fi
} | tee docs/speed.md
