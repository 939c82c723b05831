#!/bin/sh
# Fails when a generated file is not what its source generates now.
set -eu
cd "$(dirname "$0")/.."
files="internal/contract/models.gen.go internal/api/server.gen.go internal/client/client.gen.go web/src/contract.gen.ts"
kept=$(mktemp -d)
trap 'rm -rf "$kept"' EXIT
for f in $files; do cp "$f" "$kept/$(basename "$f")"; done
make --no-print-directory generate >/dev/null
stale=""
for f in $files; do cmp -s "$f" "$kept/$(basename "$f")" || stale="$stale $f"; done
if [ -n "$stale" ]; then
	echo "error: these were stale and are generated anew now; commit them:$stale" >&2
	exit 1
fi
