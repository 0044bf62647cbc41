#!/bin/sh
# Runs the browser tests against a demo of their own; those of the second half may run beside the first.
set -eu
dir=$(mktemp -d /tmp/owl-e2e-XXXXXX)
chmod 755 "$dir"
trap 'rm -rf "$dir"' EXIT
export OWL_DATA_DIR="$dir" OWL_LISTEN=127.0.0.1:8479 OWL_DEMO_BASE=127.79.0.0 OWL_LOG_LEVEL=warn OWL_THROWAWAY_DATA=true
case "$*" in *--project=second*) export OWL_LISTEN=127.0.0.1:8480 OWL_DEMO_BASE=127.80.0.0 ;; esac
[ $# -gt 0 ] || set -- --project=first --project=second --project=looks
npx --no-install playwright test --config e2e/playwright.config.mjs --output "test-results/${OWL_LISTEN#*:}" "$@"
