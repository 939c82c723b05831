#!/bin/sh
# packages.sh FOLDER builds Debian and RPM packages of client and service for amd64 and arm64. The same commit gives the
# same bytes. For tests: PROGRAMS=FOLDER takes the programs that are there, for this machine's architecture alone;
# RELEASE, KINDS and NAMES choose another version and some packages; COMPRESSION=none saves time.
set -eu
cd "$(dirname "$0")/.."
out=$1
release=${RELEASE:-$(cat internal/build/VERSION)}
commit=$(git log -1 --format=%cs.%h 2>/dev/null || true)
SOURCE_DATE_EPOCH=$(git log -1 --format=%ct 2>/dev/null || echo 0)
export SOURCE_DATE_EPOCH

work=$(mktemp -d)
trap 'rm -rf "$work"' EXIT
clients="$work/clients" extra="$work/extra"
mkdir -p "$clients" "$out"

build() { # build ARCH PROGRAM FILE
	GOFLAGS= CGO_ENABLED=0 GOOS=linux GOARCH=$1 go build -trimpath -buildvcs=false \
		-ldflags "-s -w -buildid= -X dappertally/internal/build.stamped=$commit" -o "$3" "./cmd/$2"
}

own=$(go env GOARCH)
if [ -n "${PROGRAMS:-}" ]; then
	archs=$own
	mkdir "$work/$own"
	cp "$PROGRAMS/dtally" "$PROGRAMS/dtallyd" "$work/$own/"
else
	archs="amd64 arm64"
	for arch in $archs; do
		echo "==> building the programs for $arch" >&2
		mkdir "$work/$arch"
		build "$arch" dtallyd "$work/$arch/dtallyd"
		build "$arch" dtally "$work/$arch/dtally"
	done
fi
for arch in $archs; do cp "$work/$arch/dtally" "$clients/dtally-linux-$arch"; done

# Manual pages and completions come from the programs themselves.
for program in dtally dtallyd; do
	mkdir -p "$extra/$program/man"
	"$work/$own/$program" manual "$extra/$program/man" >/dev/null
	gzip -9 -n "$extra/$program/man"/*
	for shell in bash zsh fish; do "$work/$own/$program" completion $shell >"$extra/$program/$shell"; done
done
find "$work" -exec touch -d "@$SOURCE_DATE_EPOCH" {} +

go build -modfile=deploy/tools.mod -o "$work/nfpm" github.com/goreleaser/nfpm/v2/cmd/nfpm
for arch in $archs; do
	for program in ${NAMES:-dtally dtallyd}; do
		sed -e "s|\${BIN}|$work/$arch|; s|\${CLIENTS}|$clients|; s|\${EXTRA}|$extra|" \
			-e "s|\${ARCH}|$arch|; s|\${RELEASE}|$release|; s|\${COMPRESSION}|${COMPRESSION:-gzip}|" \
			"deploy/packages/$program.nfpm.yaml" >"$work/$program-$arch.yaml"
		making=
		for kind in ${KINDS:-deb rpm}; do
			"$work/nfpm" package -f "$work/$program-$arch.yaml" -p "$kind" -t "$out" >/dev/null &
			making="$making $!"
		done
		for one in $making; do wait "$one"; done
	done
done
(cd "$out" && sha256sum dtally[_d-]* >SHA256SUMS)
ls -l "$out" >&2
