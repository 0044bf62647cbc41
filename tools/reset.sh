#!/bin/sh
# Forgets the data of the demo. A running one must be stopped first.
set -eu
dir="${OWL_DATA_DIR:-var}"
for pid in "$dir"/postgres/data/postmaster.pid /var/lib/tireless-owl-*/data/postmaster.pid; do
  if [ -e "$pid" ] && kill -0 "$(head -n 1 "$pid")" 2>/dev/null && [ "$dir" = "$(dirname "$(dirname "$(dirname "$pid")")")" ]; then
    echo "the demo is running: stop it first (Ctrl-C)" >&2
    exit 1
  fi
done
rm -rf "$dir"
echo "forgotten: the next make demo starts afresh"
