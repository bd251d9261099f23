#!/usr/bin/env bash
# Attacks the product and writes what held to docs/robustness.md: kills, polite stops, mutated files, full disks, another user,
# foreign pages, held keys. Half an hour at most. As root all of it; otherwise what only root can try is said to be missing.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/packages.sh test
scripts/build.sh
log=$(mktemp -t marea-attack-XXXXXX)
trap 'rm -f "$log"' EXIT
status=0
cargo test --quiet --package marea-server --test attack -- --ignored --nocapture --test-threads=1 everything >"$log" 2>&1 || status=$?
if ! grep -q '^| all of it' "$log"; then
  tail -n 30 "$log" >&2
  exit 1
fi
{
  echo "# Robustness"
  echo
  echo "Printed by \`make attack\` on a machine with $(nproc) cores, as $([ "$(id -u)" -eq 0 ] && echo root || echo "a plain user"). A line holds when *tried* and *held* are the same; what did not hold is named in bold."
  echo "The seeds are fixed, the moments of the kills are the machine's own."
  echo
  grep '^|' "$log"
} | tee docs/robustness.md
exit "$status"
