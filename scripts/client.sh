#!/usr/bin/env bash
# The page's types from the server's own description of its API.
set -euo pipefail
cd "$(dirname "$0")/.."
cargo build --quiet --package marea-server
target/debug/marea openapi >web/src/api/openapi.json
(cd web && npx --no-install openapi-typescript src/api/openapi.json -o src/api/schema.d.ts >/dev/null)
