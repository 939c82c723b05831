#!/bin/sh
# Builds the console into web/dist, where it is newer than what was built.
set -eu
cd "$(dirname "$0")/../web"
step() { echo "==> $2${STEPS:+ (step $1 of $STEPS)}" >&2; }
if [ ! -d node_modules ] || [ package-lock.json -nt node_modules/.package-lock.json ]; then
	step 1 "fetching the console's packages"
	npm ci --loglevel error --no-audit --no-fund --prefer-offline
fi
if [ ! -f dist/index.html ] || [ -n "$(find src public index.html vite.config.ts package-lock.json -newer dist/index.html -print -quit)" ]; then
	step 2 "building the console"
	npm run --silent build -- --logLevel warn
	touch dist/.gitkeep
fi
