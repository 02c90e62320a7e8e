GO ?= go
BINARY := bin/tachyform

.PHONY: build demo test test-full lint race bench profile fuzz screenshots

build:
	CGO_ENABLED=0 $(GO) build -trimpath -ldflags "-s -w" -o $(BINARY) ./cmd/tachyform

# The whole way on the example site, in a new temporary folder.
demo: build
	$(BINARY) demo

# All that the tests need is installed where that may be done; what has to be skipped is said loudly, and fails with CI=true.
test:
	sh scripts/test-setup.sh
	$(MAKE) lint
	$(GO) test -timeout 15m ./...
	$(MAKE) race

# The same with every case of the long comparisons, of which test tries a sample; takes some 20 minutes.
test-full:
	sh scripts/test-setup.sh
	$(MAKE) lint
	TACHYFORM_FULL=1 TACHYFORM_KILLS=500 $(GO) test -timeout 60m ./...
	$(MAKE) race

# The race detector on what several goroutines share. The engine's memory is outside of Go's, where pointers are not checked.
# Tests that repeat the work of TestPrepare are left out.
race:
	if command -v gcc >/dev/null 2>&1; then CGO_ENABLED=1 $(GO) test -race -gcflags=all=-d=checkptr=0 -skip 'TestMadeStandIn|TestPrepareRefuses' ./internal/fit ./internal/site ./internal/script/...; else echo "No C compiler here: the race detector's run is SKIPPED."; fi

lint:
	$(GO) vet ./...
	$(GO) tool staticcheck ./...

# Ratios against a real browser in the same run, and the cost of larger sites; see docs/measurements.md.
bench: build
	sh scripts/test-setup.sh
	TACHYFORM_BENCH=1 $(GO) test ./internal/conformance -run TestBench -v -count 1
	TACHYFORM_BENCH=1 $(GO) test ./internal/icon -run TestBench -v -count 1
	$(GO) test ./internal/cli -run '^$$' -bench ServeUnderLoad -benchtime 4x
	$(GO) test ./internal/useragent/environment ./internal/conformance ./internal/icon -run '^$$' -bench . -benchtime 2s

# Where the time goes, by phases and by functions of scripts: make profile SITE=folder COMMAND="fit --dry-run". Without SITE it
# profiles the demo, without COMMAND the audit.
profile:
	$(GO) run ./internal/profile/run "$(SITE)" $(COMMAND)

# Two minutes for each fuzz target, ten for random programs of page scripts and for sequences of DOM calls.
FUZZ_TARGETS := useragent/indexeddb:FuzzKey markup:FuzzTokens page:FuzzDocument page:FuzzScriptAndStyle page:FuzzApplied page:FuzzMediaQuery pattern:FuzzPattern worker:FuzzPattern worker:FuzzOnline manifest:FuzzProcess project:FuzzParse fit:FuzzEditHead icon:FuzzSVG textpos:FuzzAt site:FuzzRobots confirm:FuzzReadRecord encoding:FuzzDecode selector:FuzzSelector
FUZZ_TIME ?= 120s
TREE_TIME ?= 10m
PROGRAM_TIME ?= 10m
fuzz:
	for t in $(FUZZ_TARGETS); do $(GO) test ./internal/$${t%%:*} -run '^$$' -fuzz "^$${t##*:}$$" -fuzztime $(FUZZ_TIME) || exit 1; done
	TACHYFORM_PROGRAMS=$(PROGRAM_TIME) $(GO) test ./internal/rehearsal -run TestProgramsAtRandom -v -timeout 30m
	TACHYFORM_TREES=$(TREE_TIME) $(GO) test ./internal/conformance -run TestTreesAtRandom -v -timeout 20m

# docs/screenshots from the example; needs Xvfb, xterm, ImageMagick and Chromium.
screenshots: build
	sh scripts/screenshots.sh
