#!/usr/bin/env bash
# Form and habits: rustfmt, Clippy, Prettier, ESLint, types. Changes nothing. The page's packages must be there (scripts/build.sh).
set -euo pipefail
cd "$(dirname "$0")/.."

cargo fmt --check
cargo clippy --quiet --workspace --all-targets -- -D warnings
cd web
npx --no-install prettier --check --log-level warn .
npx --no-install eslint --max-warnings 0 .
npx --no-install vue-tsc --noEmit
