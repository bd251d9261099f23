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
DATABASE_URL=$MAREA_TEST_DATABASE_URL cargo test --workspace --no-fail-fast "$@"
echo "All tests passed."
