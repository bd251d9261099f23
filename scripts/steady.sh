#!/usr/bin/env bash
# The whole suite again and again, beside as many busy loops as there are cores: a test that depends on the machine's mood fails
# here. Usage: scripts/steady.sh [TIMES] [FILTERS…], ten times when it is not said. Stops at the first failure.
set -euo pipefail
cd "$(dirname "$0")/.."

times=${1:-10}
[ $# -gt 0 ] && shift
scripts/packages.sh test
scripts/build.sh
loops=()
trap 'kill "${loops[@]}" 2>/dev/null || true' EXIT
for _ in $(seq "$(nproc)"); do
  (while :; do :; done) &
  loops+=($!)
done
for n in $(seq "$times"); do
  began=$SECONDS
  if ! scripts/suite.sh "$@" >target/steady.log 2>&1; then
    echo "Time $n of $times failed; see target/steady.log:"
    grep -E '^test .*FAILED|panicked at' target/steady.log || tail -n 20 target/steady.log
    exit 1
  fi
  echo "Time $n of $times: all passed, $((SECONDS - began)) s"
done
