#!/usr/bin/env bash
# Builds the page when its sources changed, then the server, which carries the page.
set -euo pipefail
cd "$(dirname "$0")/.."
. scripts/logged.sh

in_web() { (cd web && "$@"); }

stamp=web/node_modules/.marea-lock
if ! cmp -s web/package-lock.json "$stamp" 2>/dev/null; then
  echo "Installing the page's packages"
  logged "Installing the page's packages" in_web npm ci --no-audit --no-fund --loglevel=error
  cp web/package-lock.json "$stamp"
fi
types=web/src/api/schema.d.ts
if [ ! "$types" -nt web/src/api/openapi.json ] || [ ! "$types" -nt "$stamp" ]; then
  logged "Making the page's types" in_web npx --no-install openapi-typescript src/api/openapi.json -o src/api/schema.d.ts
fi
if [ ! -f web/dist/index.html ] || [ -n "$(find web -path web/node_modules -prune -o -path web/dist -prune -o -type f -newer web/dist/index.html -print -quit)" ]; then
  echo "Building the page"
  logged "Building the page" in_web npx --no-install vite build --logLevel warn
fi
echo "Building the server (minutes the first time)"
logged "Building the server" cargo build --quiet --package marea-server
