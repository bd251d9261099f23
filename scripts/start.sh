#!/usr/bin/env bash
# Builds what changed, starts the private MariaDB and serves. Ctrl-C ends both. What it writes is for its own account only.
# Usage: scripts/start.sh [--demo]
set -euo pipefail
cd "$(dirname "$0")/.."

scripts/packages.sh demo
scripts/build.sh
if [ -z "${MAREA_DATABASE_URL:-}" ]; then
  MAREA_DATABASE_URL=$(scripts/database.sh "${MAREA_DATA:-data}" $$)
  export MAREA_DATABASE_URL
fi
umask 077
export MAREA_STORE=${MAREA_STORE:-${MAREA_DATA:-data}/store}
# exec: this process becomes the server, so the watcher of the database follows the server itself.
exec target/debug/marea serve "$@"
