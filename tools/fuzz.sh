#!/bin/sh
# Fuzzes every parser of bytes from outside, each for a while: FUZZTIME, one minute unless set.
# None may crash, or take more than a second for one input (go test says so by itself).
set -eu
time=${FUZZTIME:-60s}
for folder in $(grep -rl '^func Fuzz' --include='*_test.go' internal kits | xargs -n1 dirname | sort -u); do
  for name in $(grep -ho '^func Fuzz[A-Za-z0-9]*' "$folder"/*_test.go | sed 's/^func //'); do
    echo "$folder $name"
    go test -tags gosnmp_nodebug -run '^$' -fuzz "^$name\$" -fuzztime "$time" "./$folder" | tail -1
  done
done
