#!/usr/bin/env bash
# The page's types from the server's own description of its API.
set -euo pipefail
cd "$(dirname "$0")/.."
# With all others, as everything else is built: by itself it would be given other features, and all be compiled anew.
cargo build --quiet --workspace --bin marea
target/debug/marea openapi >web/src/api/openapi.json
(cd web && npx --no-install openapi-typescript src/api/openapi.json -o src/api/schema.d.ts >/dev/null)
