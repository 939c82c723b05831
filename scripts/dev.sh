#!/bin/sh
# dev.sh FOLDER ADDRESS runs the service on the demo's data and restarts it when a Go file
# or the contract changes; beside it, the console with hot reload.
set -eu
cd "$(dirname "$0")/.."
folder=$1 address=$2
mark=$(mktemp)
service=""

end() {
	trap - EXIT INT TERM
	[ -z "$service" ] || kill "$service" 2>/dev/null || true
	[ -z "${console:-}" ] || kill "$console" 2>/dev/null || true
	wait 2>/dev/null || true
	rm -f "$mark"
}
trap end EXIT INT TERM

changed() {
	[ -n "$(find cmd core internal web/embed.go -newer "$mark" \( -name '*.go' -o -name '*.yaml' -o -name '*.sql' \) -print -quit)" ]
}

./scripts/console.sh
echo "==> the console with hot reload: http://localhost:5173 (it asks the service at http://127.0.0.1:8310)" >&2
(cd web && exec npm run --silent dev -- --clearScreen false) &
console=$!
while :; do
	touch "$mark"
	if go build -o bin/ ./cmd/...; then
		./bin/dtallyd demo --dir "$folder" --listen "$address" --log-level warn &
		service=$!
	fi
	until changed; do sleep 1; done
	echo "==> a file changed: building and starting again" >&2
	if [ -n "$service" ]; then
		kill "$service" 2>/dev/null || true
		wait "$service" 2>/dev/null || true
		service=""
	fi
done
