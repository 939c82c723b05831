#!/bin/sh
# Second Wind's bench script: runs one task of the test files five times and prints the
# seconds of each run, one a line. Usage: bench-script.sh copy|build|photos FOLDER
set -eu
task=$1 folder=$2
for run in 1 2 3 4 5; do
	sync
	start=$(date +%s.%N)
	case $task in
	copy) rm -rf "$folder/copy" && cp -a "$folder/school-folder" "$folder/copy" && sync ;;
	build) make -C "$folder/kernel" -s clean all ;;
	photos) for p in "$folder"/photos/*.raw; do "$folder/develop" "$p" "$p.out"; done ;;
	*) echo "unknown task: $task" >&2; exit 2 ;;
	esac
	end=$(date +%s.%N)
	echo "$start $end" | awk '{ printf "%.2f\n", $2 - $1 }'
done
