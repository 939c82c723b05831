#!/bin/sh
# Fails when a file that does not belong here is about to be kept: what programs leave
# behind (backups, logs, dumps), empty files, and large ones.
set -eu
cd "$(dirname "$0")/.."
largest=1500000
litter=$(git ls-files -co --exclude-standard | while IFS= read -r file; do
	[ -f "$file" ] || continue
	case $file in
	*.log | *.gz | *.bak | *.orig | *.rej | *.tmp | *.swp | *.dump | *.prof | *.out | *.sock | *.pid | core.[0-9]*)
		echo "$file: left behind by a program"
		continue
		;;
	*/.gitkeep | */testdata/*)
		continue
		;;
	esac
	size=$(wc -c <"$file")
	if [ "$size" -eq 0 ]; then
		echo "$file: empty"
	elif [ "$size" -gt $largest ]; then
		echo "$file: $size bytes"
	fi
done)
if [ -n "$litter" ]; then
	echo "error: these files do not belong here; remove them:" >&2
	echo "$litter" >&2
	exit 1
fi
