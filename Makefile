# Two commands do everything: make demo, make test. They need Go, make and, for Chromium in the tests, apt.
.PHONY: demo test build bench refresh screenshots fuzz dev lint race

# Gin without MessagePack, which nothing here speaks and which takes as long to compile as SQLite; no debug information, which takes a tenth
# of all compiling. Both for all targets alike, so that one's work serves the others.
export GOFLAGS += -tags=nomsgpack -gcflags=all=-dwarf=false

build:
	@test -e bin/diadrom || { \
	  echo "Building Diadrom. The first time this takes a minute or two: the libraries it is made of are downloaded, and they and"; \
	  echo "SQLite are compiled. Later builds take seconds."; }
	go build -ldflags=-w -o bin/diadrom ./cmd/diadrom

demo: build
	./bin/diadrom demo

# The demo shop for whoever works on Diadrom: rebuilt when a Go file changes; templates, styles and scripts are read from disk.
dev:
	go run ./tools/dev

# What is told of the code without running it. staticcheck is a tool of go.mod.
lint: format
	go vet ./...
	go tool staticcheck ./...

.PHONY: format
format:
	@files=$$(gofmt -l cmd internal tools); if [ -n "$$files" ]; then echo "gofmt would change: $$files"; exit 1; fi

# The tests of the core and of the draft with the race detector.
race:
	CGO_ENABLED=1 go test -race ./internal/core/quote ./internal/shop/draft ./internal/sqlite ./internal/shop/importer ./internal/shop/services ./internal/outside/carriers ./internal/web/api ./internal/auth ./internal/shop/feed ./internal/shop/held ./internal/shop/confined ./internal/shop/files ./internal/shop/outbox ./internal/shop/node ./internal/shop/manifest

# The program for every platform that it is for, as files in bin/.
.PHONY: cross
cross:
	for p in linux/amd64 linux/arm64 darwin/amd64 darwin/arm64 windows/amd64 windows/arm64; do \
	  echo $$p; s=; [ $${p%/*} != windows ] || s=.exe; \
	  CGO_ENABLED=0 GOOS=$${p%/*} GOARCH=$${p#*/} go build -o bin/diadrom-$${p%/*}-$${p#*/}$$s ./cmd/diadrom || exit 1; done

# staticcheck leaves tests to make lint, to keep a run with an empty cache short.
# The browser tests come first, because they take longest and wait for much that is no work; those of the screens and of
# the command line, which come next in length, run beside them.
# Three packages run at a time, whatever the cores: much of it is waiting.
# All of vet runs with the tests, once for each package; without debug information some forty programs are linked sooner.
test: chromium iso-codes geographiclib nodejs python3 servers format
	@GOFLAGS="$$GOFLAGS -ldflags=-w" go run ./tools/test -p 3 -vet=all -timeout 40m \
	  ./internal/test/browser ./internal/web ./cmd/diadrom ./...
	go tool staticcheck -tests=false ./...
	go run ./tools/soak -time 2s -turn $$(git rev-list --count HEAD 2>/dev/null || echo 0)

# Chromium for the browser tests, from Debian's packages.
.PHONY: chromium
chromium:
	@command -v chromium >/dev/null || { \
	  echo "The browser tests need Chromium: installing Debian's package."; \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends chromium >/dev/null \
	  || { echo "It could not be installed (no network, or not allowed). Install it with: apt-get install chromium"; exit 1; }; }

# Debian's list of countries and regions, which the tests compare ours with.
.PHONY: iso-codes
iso-codes:
	@test -f /usr/share/iso-codes/json/iso_3166-2.json || { \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends iso-codes >/dev/null \
	  || { echo "iso-codes could not be installed (no network, or not allowed). Install it with: apt-get install iso-codes"; exit 1; }; }

# GeographicLib's programs, which the tests compare distances and areas with.
.PHONY: geographiclib
geographiclib:
	@command -v Planimeter >/dev/null || { \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends geographiclib-tools >/dev/null \
	  || { echo "geographiclib-tools could not be installed (no network, or not allowed). Install it with: apt-get install geographiclib-tools"; exit 1; }; }

# Node, with which the tests run the example of a shop and clients of the API.
.PHONY: nodejs
nodejs:
	@command -v node >/dev/null || { \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends nodejs >/dev/null \
	  || { echo "nodejs could not be installed (no network, or not allowed). Install it with: apt-get install nodejs"; exit 1; }; }

# Python, with which the tests run the example of a shop in it.
.PHONY: python3
python3:
	@command -v python3 >/dev/null || { \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends python3 >/dev/null \
	  || { echo "python3 could not be installed (no network, or not allowed). Install it with: apt-get install python3"; exit 1; }; }

# The servers that may stand in front of Diadrom. Where they cannot be installed their tests are skipped.
.PHONY: servers
servers:
	@test -x /usr/sbin/nginx -a -x /usr/sbin/apache2 || { \
	  SUDO=""; [ "$$(id -u)" = 0 ] || SUDO="sudo -n"; \
	  $$SUDO apt-get update -qq && DEBIAN_FRONTEND=noninteractive $$SUDO apt-get install -y -qq --no-install-recommends nginx-light apache2-bin >/dev/null \
	  || echo "nginx and Apache httpd could not be installed: their tests are skipped"; }

# Keeps the script of the element as it is, for pages that name its version: before a release.
.PHONY: widget-version
widget-version:
	cp internal/web/widget/widget.js internal/web/widget/versions/widget-$$(sha256sum internal/web/widget/widget.js | cut -c1-16).js

# The description of the API, linted by two linters of npm's registry. It needs npm.
.PHONY: lint-api
lint-api:
	npx --yes @redocly/cli@2.77.0 lint internal/web/api/openapi.yaml
	npx --yes @stoplight/spectral-cli@6.16.3 lint --ruleset tools/spectral.yaml internal/web/api/openapi.yaml

# All tests but those of the browser, as on other days and in other time zones.
.PHONY: days
days: iso-codes geographiclib nodejs python3
	go run ./tools/days

# What was done to bring the program down, tried again on the program as it is built: files, askers, clocks.
.PHONY: attack
attack:
	go run ./tools/attack

# Each fuzz target for a minute; make test runs a tenth of them for some seconds, in turn.
.PHONY: soak
soak:
	go run ./tools/soak

# Benchmarks, judged as ratios: see docs/performance.md.
bench:
	go test -run '^$$' -bench . -benchmem ./internal/...

# What was answered outlives a kill: 1,000 times, and 500 during uploads and schedules (50 and 10 in make test).
.PHONY: kill
kill:
	DIADROM_TEST_KILLS=1000 go test -count=1 -v -timeout 60m -run OutlivesAKill\|OutliveAKill ./cmd/diadrom

# 200 and 2,000 buyers ask for 20 s while the owner publishes ten times (2 s in make test).
.PHONY: load
load:
	DIADROM_TEST_LOAD=20 go test -count=1 -v -run TestBuyersAskWhileTheOwner ./cmd/diadrom
	DIADROM_TEST_LOAD=20 DIADROM_TEST_BUYERS=2000 go test -count=1 -v -run TestBuyersAskWhileTheOwner ./cmd/diadrom

# Nodes quote for a minute each while brokers, the bench and nodes are killed, and while the network is cut (6 and 10 s in make test).
.PHONY: faults
faults:
	DIADROM_TEST_FAULTS=60 go test -count=1 -v -timeout 10m -run 'TestNodesQuote|TestNodesShare' ./cmd/diadrom

# Screens, edits, publishing and undo of a large shop beside a small one: see docs/performance.md.
.PHONY: sizes
sizes:
	DIADROM_TEST_SIZES=1 go test -count=1 -v -timeout 20m -run 'TestSizes$$' ./internal/web
	DIADROM_TEST_SIZES=1 go test -count=1 -v -run TestSizesOnDisk ./internal/sqlite
	DIADROM_TEST_EDITS=10000 go test -count=1 -v -run TestMemoryDoesNotGrow ./internal/shop/draft

# What one core serves, what shops take of memory, and nodes behind a balancer simulated: see docs/scale.md.
.PHONY: scale
scale:
	go run ./tools/scale

# Vendored assets and open data, at the versions that tools/refresh/packages.json pins. Needs npm and Debian's iso-codes.
refresh:
	go run ./tools/refresh

# The pictures of docs/screenshots, from the demo shop.
screenshots: chromium
	DIADROM_TEST_SCREENSHOTS=$(CURDIR)/docs/screenshots go test -count=1 -run TestScreenshots ./internal/test/browser

# Each fuzz target for half a minute.
fuzz:
	go run ./tools/soak -time 30s

# A demo beside a bare Gin handler, from outside at 16 connections: see docs/performance.md. It needs wrk.
.PHONY: wrk
wrk: build
	@dir=$$(mktemp -d); ./bin/diadrom demo --data $$dir --listen 127.0.0.1:8797 >/dev/null 2>$$dir/log & pid=$$!; \
	trap "kill $$pid" EXIT; sleep 6; go run ./tools/load http://127.0.0.1:8797 3
