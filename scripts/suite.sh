#!/usr/bin/env bash
# The suite itself, on what scripts/build.sh has built. Starts the private MariaDB. Usage: scripts/suite.sh [FILTERS…]
set -euo pipefail
cd "$(dirname "$0")/.."

if [ -z "${MAREA_TEST_DATABASE_URL:-}" ]; then
  folder=$(mktemp -d -t marea-test-XXXXXX)
  MAREA_TEST_DATABASE_URL=$(scripts/database.sh "$folder" $$ tests)
  export MAREA_TEST_DATABASE_URL
  # Its database ends with this script; the folder goes with it.
  trap 'kill "$(cat "$folder/db.pid")" 2>/dev/null; sleep 0.5; rm -rf "$folder"' EXIT
fi
export DATABASE_URL=$MAREA_TEST_DATABASE_URL

# The tests in the folders of all crates, as cargo wants to have them named.
tests_of() { for test in "$@"; do [ -e "$test" ] && echo "--test $(basename "${test%/main.rs}" .rs)"; done; }
tests() { cargo test --workspace --no-fail-fast "$@"; }

# The browser and the server wait much, the others compute: side by side. Compiled as one, since parts would be given other features.
cargo test --quiet --workspace --no-run
told=$(mktemp -d -t marea-told-XXXXXX)
computing() {
  # shellcheck disable=SC2046 # a list of words
  tests --lib --bins $(tests_of crates/*/tests/{*.rs,*/main.rs} | grep -vx -e '--test browser' -e '--test server') -- "$@" &&
    tests --doc -- "$@"
}
computing "$@" >"$told/computing" 2>&1 &
beside=($!)
tests --test server -- "$@" >"$told/server" 2>&1 &
beside+=($!)
passed=yes
# Most of a test in the browser is waiting: three at a time on two cores.
tests --test browser -- --test-threads 3 "$@" || passed=no
for lane in "${beside[@]}"; do wait "$lane" || passed=no; done
cat "$told/computing" "$told/server"
rm -rf "$told"
[ "$passed" = yes ] || exit 1
echo "All tests passed."
