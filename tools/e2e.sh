#!/bin/sh
# Runs the browser tests against a demo of their own.
set -eu
dir=$(mktemp -d /tmp/owl-e2e-XXXXXX)
chmod 755 "$dir"
trap 'rm -rf "$dir"' EXIT
export OWL_DATA_DIR="$dir" OWL_LISTEN=127.0.0.1:8479 OWL_DEMO_BASE=127.79.0.0 OWL_LOG_LEVEL=warn
[ $# -gt 0 ] || set -- --project=walks --project=looks
npx --no-install playwright test --config e2e/playwright.config.mjs "$@"
