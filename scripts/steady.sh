#!/usr/bin/env bash
# The whole suite again and again, beside as many busy loops as there are cores: a test that depends on the machine's mood fails
# here. Usage: scripts/steady.sh [TIMES] [FILTERS…], ten times when it is not said. Stops at the first failure. What was stopped goes
# on counting where it was, as long as nothing has changed and nothing has failed: ten times take hours.
set -euo pipefail
cd "$(dirname "$0")/.."

times=${1:-10}
[ $# -gt 0 ] && shift
scripts/packages.sh test
scripts/build.sh
cargo test --quiet --workspace --no-run
of="$(git rev-parse 'HEAD^{tree}') $(git status --porcelain | sha256sum | cut -c1-16) $*"
log=target/steady.log
record=target/steady.passed
[ "$(head -n 1 "$record" 2>/dev/null)" = "$of" ] || echo "$of" >"$record"
loops=()
trap 'kill "${loops[@]}" 2>/dev/null || true' EXIT
for _ in $(seq "$(nproc)"); do
  (while :; do :; done) &
  loops+=($!)
done
tail -n +2 "$record"
for n in $(seq "$(wc -l <"$record")" "$times"); do
  began=$SECONDS
  if ! scripts/suite.sh "$@" >"$log" 2>&1; then
    rm "$record"
    echo "Time $n of $times failed; see $log:"
    grep -E '^test .*FAILED|panicked at' "$log" || tail -n 20 "$log"
    exit 1
  fi
  echo "Time $n of $times: all passed, $((SECONDS - began)) s, ended $(date -u '+%F %H:%M')" | tee -a "$record"
done
