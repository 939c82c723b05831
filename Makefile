# Dapper Tally. The two commands to know: make demo, make test.
LISTEN ?= 127.0.0.1:8310
DEMO   ?= $(shell ./scripts/demo-folder.sh)
NEED    = ./scripts/need.sh
PKG    ?= ./...
FUZZTIME ?= 30s
VOLUME   ?= $(DEMO)-volume
EDITIONS ?= 10000
CLUSTER  ?= $(DEMO)-cluster
ROUNDS   ?= 3
SINGLE   ?= 200
SOAK     ?= 1h
RELEASE = $(shell cat internal/build/VERSION)
VERSION = $(shell git log -1 --format=%cs.%h 2>/dev/null)
SMALL   = -trimpath -ldflags "-s -w -X dappertally/internal/build.stamped=$(VERSION)"

.PHONY: help demo demo-reset dev build clients console test race cover fuzz lint check bench volume bench-volume packages cluster faults soak texts docs generate sbom screenshots

help:
	@echo "make demo         run the demo; LISTEN=HOST:PORT for another address"
	@echo "make demo-reset   forget the demo's data, so that the next demo starts afresh"
	@echo "make dev          work on it: demo service restarted on a change, console with hot reload"
	@echo "make test         run every test; PKG=./core/... those of some packages, RUN=TestX those of a name"
	@echo "make race         the same with the race detector"
	@echo "make cover        the same with a coverage page: bin/cover.html"
	@echo "make fuzz         fuzz each parser for a while; FUZZTIME=5m"
	@echo "make lint         vet, staticcheck, width of lines"
	@echo "make check        vet, lint, formatting, types, generated files"
	@echo "make bench        measure what has to be fast"
	@echo "make volume       fill a database with a million readings; EDITIONS=1000, VOLUME=FOLDER"
	@echo "make bench-volume measure how the service answers over it"
	@echo "make packages     build Debian and RPM packages into bin/packages"
	@echo "make cluster      run three database nodes, three instances and a balancer on the demo's data"
	@echo "make faults       kill, pause, cut off and fill everything under load; ROUNDS=3 in a cluster, SINGLE=200 on one machine"
	@echo "make soak         an hour of mixed load: does what the service takes grow? SOAK=10m"
	@echo "make build        build console and programs into bin/"
	@echo "make clients      build the client for the machines under review: bin/dtally-linux-amd64, -arm64"
	@echo "make texts        list every text that people can read, by file: bin/texts.txt"
	@echo "make docs         write the generated pages of the documentation"
	@echo "make generate     generate code from the contract"
	@echo "make sbom         list what ships, with versions and licences: bin/sbom.cdx.json"
	@echo "make screenshots  take the pictures of docs/screenshots from a running demo"

demo:
	@$(NEED) go node mariadb
	@test -x bin/dtallyd || echo "The first build has four steps and takes a few minutes." >&2
	@$(MAKE) --no-print-directory STEPS=4 build
	@echo "==> starting the demo (step 4 of 4)" >&2
	@exec ./bin/dtallyd demo --dir "$(DEMO)" --listen "$(LISTEN)" --log-level warn

demo-reset:
	@if pid=$$(cat "$(DEMO)/server/mariadb.pid" 2>/dev/null) && grep -qs '^\(mariadbd\|mysqld\)' "/proc/$$pid/comm"; then \
		echo "error: the demo is running; end it with Ctrl-C first" >&2; exit 1; fi
	@rm -rf "$(DEMO)"
	@echo "The demo's data is gone; make demo starts afresh."

dev:
	@$(NEED) go node mariadb
	@exec ./scripts/dev.sh "$(DEMO)" "$(LISTEN)"

# How many steps are announced, of which these are three; empty: they are not counted.
STEPS ?=
export STEPS

build: console
	@$(NEED) go
	@echo "==> building the programs$(if $(STEPS), (step 3 of $(STEPS)))" >&2
	@CGO_ENABLED=0 go build $(SMALL) -o bin/ ./cmd/...

# The client alone, for the machines that are reviewed.
clients:
	@$(NEED) go
	@for arch in amd64 arm64; do CGO_ENABLED=0 GOOS=linux GOARCH=$$arch go build $(SMALL) -o bin/dtally-linux-$$arch ./cmd/dtally || exit 1; done
	@ls -l bin/dtally-linux-*

console:
	@$(NEED) node
	@./scripts/console.sh

# One database server for the whole run; each package has schemas of its own. Programs that tests build hash passwords
# cheaply, as the tests do. Tests of browsers and clusters often wait, so four run at once.
TESTS = GOFLAGS="$$GOFLAGS -tags=quickpasswords" go run ./internal/localdb/shared -- go test -timeout 60m -parallel 4 $(if $(RUN),-run '$(RUN)') $(TESTFLAGS)

test:
	@$(NEED) go node mariadb chromium shells xvfb sshd curl ffmpeg galera haproxy binlog packages promtool
	@$(MAKE) --no-print-directory console
	@echo "==> running the tests of $(PKG)" >&2
	@$(TESTS) $(PKG)

race:
	@$(NEED) go node mariadb chromium shells xvfb sshd curl ffmpeg galera haproxy binlog packages promtool cc
	@$(MAKE) --no-print-directory console
	@CGO_ENABLED=1 $(TESTS) -race $(PKG)

cover:
	@$(NEED) go node mariadb chromium shells xvfb sshd curl ffmpeg galera haproxy binlog packages promtool
	@$(MAKE) --no-print-directory console
	@mkdir -p bin
	@$(TESTS) -coverpkg ./core/...,./internal/... -coverprofile bin/cover.profile $(PKG)
	@go tool cover -html bin/cover.profile -o bin/cover.html
	@go tool cover -func bin/cover.profile | tail -1

fuzz:
	@$(NEED) go
	@grep -rlE '^func Fuzz' --include='*_test.go' core internal | while read -r file; do \
		for name in $$(sed -n 's/^func \(Fuzz[A-Za-z]*\).*/\1/p' "$$file"); do \
			echo "==> $$name of ./$$(dirname "$$file")" >&2; \
			go test -run '^$$' -fuzz "^$$name$$" -fuzztime $(FUZZTIME) "./$$(dirname "$$file")" || exit 1; \
		done; done

# Go files that people write.
OURS = $(shell git ls-files '*.go' | grep -v '\.gen\.go$$')

lint:
	@$(NEED) go
	@echo "==> vet and staticcheck" >&2
	@go vet ./...
	@go tool staticcheck -checks inherit,-ST1005 ./...
	@echo "==> switches that must name every kind" >&2
	@go tool exhaustive -e ./...
	@echo "==> imports, complexity, spelling" >&2
	@test -z "$$(go tool goimports -l $(OURS))" || { echo "error: imports are out of order (go tool goimports -w):" >&2; go tool goimports -l $(OURS) >&2; exit 1; }
	@go tool gocyclo -over 20 $(filter-out %_test.go,$(OURS))
	@go tool gocyclo -over 30 $(filter %_test.go,$(OURS))
	@go tool misspell -error -i peopel,somethign $(OURS) $(shell git ls-files '*.md' '*.yaml' '*.sh' 'web/src/*.ts' 'web/src/*.tsx')
	@echo "==> width of lines" >&2
	@./scripts/width.sh 832

check:
	@$(NEED) go node
	@$(MAKE) --no-print-directory console
	@echo "==> formatting" >&2
	@test -z "$$(gofmt -l cmd core internal e2e web/embed.go)" || { echo "error: not formatted (gofmt -w):" >&2; gofmt -l cmd core internal e2e web/embed.go >&2; exit 1; }
	@$(MAKE) --no-print-directory lint
	@echo "==> types of the console" >&2
	@cd web && npm run --silent check
	@echo "==> spelling of all texts" >&2
	@$(MAKE) --no-print-directory texts > /dev/null
	@cd web && npx cspell --no-progress --no-summary ../bin/texts.txt
	@echo "==> files that do not belong here" >&2
	@./scripts/litter.sh
	@echo "==> generated files" >&2
	@./scripts/generated.sh

# One package after another: two at once would measure each other.
bench:
	@$(NEED) go node mariadb
	@$(MAKE) --no-print-directory console
	@go run ./internal/localdb/shared -- go test -p 1 -run '^$$' -bench . -benchmem ./core/... ./internal/api/ ./internal/intake/

# A million readings, in a database of its own.
volume:
	@$(NEED) go mariadb
	@go run ./internal/volume fill --dir "$(VOLUME)" --editions $(EDITIONS)

bench-volume: build
	@$(NEED) mariadb
	@go run ./internal/volume bench --dir "$(VOLUME)"

texts:
	@$(NEED) go node
	@$(MAKE) --no-print-directory console
	@mkdir -p bin
	@go run ./internal/texts/list > bin/texts.txt
	@wc -l bin/texts.txt

generate:
	@go generate ./internal/contract
	@cd web && npm run --silent contract

# Debian and RPM packages of client and service, for both architectures.
packages: console
	@$(NEED) go
	@./scripts/packages.sh bin/packages

# Three database nodes, three instances and a balancer on this machine.
cluster: build
	@$(NEED) mariadb galera haproxy
	@exec go run ./internal/trial/run cluster --dir "$(CLUSTER)" --listen "$(LISTEN)"

# Kills, pauses, cuts off and fills what can be killed, paused, cut off and filled, under load.
faults: build
	@$(NEED) mariadb galera
	@go run ./internal/trial/run faults --dir "$(CLUSTER)-faults" --rounds $(ROUNDS) --single $(SINGLE)

# An hour of mixed load: memory, goroutines, open files and connections must not grow.
soak: build
	@$(NEED) mariadb
	@go run ./internal/trial/run soak --dir "$(DEMO)-soak" --lasts $(SOAK)

# Pages of the documentation that are made from definitions. Tests hold them against these.
docs:
	@$(NEED) go node mariadb
	@$(MAKE) --no-print-directory console
	@go run ./internal/references docs/reference
	@go run ./internal/inventory page > docs/reference/dependencies.md
	@DTALLY_SCHEMA=write go test -count 1 ./internal/schema > /dev/null
	@DTALLY_COLUMNS=write go test -count 1 ./internal/exports > /dev/null
	@DTALLY_DOCS=write go test -count 1 -run TestWorkedExample ./core > /dev/null
	@DTALLY_DOCS=write DTALLY_ACCESS=write go run ./internal/localdb/shared -- \
		go test -count 1 -run 'TestMetricsPage|TestWhoMayAskWhat' ./internal/api > /dev/null

sbom: build
	@go run ./internal/inventory sbom bin/dtallyd > bin/sbom.cdx.json
	@echo "bin/sbom.cdx.json"

screenshots:
	@$(NEED) go chromium
	@go run ./e2e/screenshots -server "http://$(LISTEN)"
	@go run ./cmd/dtally frames internal/demo/away/harbour-flight-1.csv --picture docs/screenshots/frames.png > /dev/null
