#!/usr/bin/env bash
# Builds the page when its sources changed, then the server, which carries the page.
set -euo pipefail
cd "$(dirname "$0")/.."

stamp=web/node_modules/.marea-lock
if ! cmp -s web/package-lock.json "$stamp" 2>/dev/null; then
  echo "Installing the page's packages"
  (cd web && npm ci --no-audit --no-fund --loglevel=error)
  cp web/package-lock.json "$stamp"
fi
if [ ! -f web/dist/index.html ] || [ -n "$(find web -path web/node_modules -prune -o -path web/dist -prune -o -type f -newer web/dist/index.html -print -quit)" ]; then
  echo "Building the page"
  (cd web && npx --no-install vite build --logLevel warn)
fi
cargo build --quiet --package marea-server
