#!/bin/sh
# Builds the console into web/dist, where it is newer than what was built.
set -eu
cd "$(dirname "$0")/../web"
if [ ! -d node_modules ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
	echo "==> fetching the console's packages" >&2
	npm ci --loglevel error --no-audit --no-fund --prefer-offline
fi
if [ ! -f dist/index.html ] || [ -n "$(find src public index.html vite.config.ts package-lock.json -newer dist/index.html -print -quit)" ]; then
	echo "==> building the console" >&2
	npm run --silent build -- --logLevel warn
	touch dist/.gitkeep
fi
