#!/usr/bin/env bash
# Runs every test there is: Rust units and integration, the page's units, the browser. Starts the private MariaDB.
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/packages.sh test
scripts/build.sh
scripts/lint.sh
if [ -z "${MAREA_TEST_DATABASE_URL:-}" ]; then
  folder=$(mktemp -d -t marea-test-XXXXXX)
  MAREA_TEST_DATABASE_URL=$(scripts/database.sh "$folder" $$ tests)
  export MAREA_TEST_DATABASE_URL
  # Its database ends with this script; the folder goes with it.
  trap 'kill "$(cat "$folder/db.pid")" 2>/dev/null; sleep 0.5; rm -rf "$folder"' EXIT
fi
export DATABASE_URL=$MAREA_TEST_DATABASE_URL

# The tests in the folders of some crates, as cargo wants to have them named.
tests_of() { for test in "$@"; do [ -e "$test" ] && echo "--test $(basename "${test%/main.rs}" .rs)"; done; }
tests() { cargo test --workspace --no-fail-fast "$@"; }

# Server and browser wait much, the others compute: side by side. Compiled as one, since parts would be given other features.
cargo test --quiet --workspace --no-run
others=$(mktemp -t marea-test-XXXXXX)
computing() {
  # shellcheck disable=SC2046 # a list of words
  tests --lib --bins $(tests_of crates/{core,media,scene,session}/tests/{*.rs,*/main.rs}) -- "$@" && tests --doc -- "$@"
}
computing "$@" >"$others" 2>&1 &
beside=$!
passed=yes
# shellcheck disable=SC2046 # a list of words
tests $(tests_of crates/server/tests/{*.rs,*/main.rs}) -- "$@" || passed=no
wait "$beside" || passed=no
cat "$others"
rm -f "$others"
[ "$passed" = yes ] || exit 1
echo "All tests passed."
