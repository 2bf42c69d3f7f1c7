# Everything is made from here; each target does its own set-up.
BIN := bin/grotta
GO_FILES := $(shell find . -name '*.go' -not -path './web/node_modules/*')
WEB_FILES := $(shell find web -maxdepth 1 -type f) $(shell find web/src web/public -type f 2>/dev/null)

# Packages with locks and goroutines of their own: the race detector watches their tests.
RACED := ./core/parallel ./service/auth ./service/gate ./service/keyed ./service/store ./service/studio ./client ./cli

.PHONY: demo test lint soak bench bench-console screenshots release generate clean chromium

demo: $(BIN)
	$(BIN) demo

test: $(BIN) chromium lint
	cd web && npm test
	go test -short -race $(RACED)
	go test -timeout 20m ./...

lint: web/node_modules/.package-lock.json
	go vet ./...
	go tool staticcheck ./...
	cd web && npm run lint

# The long forms of the tests of change, kills and full disks; an hour or so.
soak: $(BIN)
	GROTTA_SOAK_EDITS=2000 go test -timeout 3h -v -run AnyEdit ./service/jobs
	GROTTA_SOAK=1 go test -timeout 3h -v ./e2e/endure ./e2e/trial ./e2e/cluster
	GROTTA_SOAK=1 go test -timeout 1h -v -run ViewAgrees ./e2e
	GROTTA_SOAK=1 go test -timeout 1h -v -run 'SlantedWalls|HardPlaces' ./core/bake

bench:
	go run ./docs/bench

# Frame times of the console's view in headless Chromium.
bench-console: $(BIN) chromium
	go run ./docs/frames

screenshots: $(BIN) chromium
	go run ./docs/shoot
	GROTTA_PICTURES=$(CURDIR)/bin go test ./e2e -count=1 -run LightmapFiles
	cp bin/lightmap-exr.png docs/screenshots/lightmap-elsewhere.png

# Archives for Linux, Windows and macOS with licences and checksums, in bin/release. ONLY=linux-amd64
# builds one of them; several are named in quotes.
release: web/dist/index.html
	go run ./docs/release $(ONLY)

# What is generated from the Go types and committed; a test compares them.
generate: bin/describe
	bin/describe openapi -o docs/openapi.json
	bin/describe schema -o docs/level.schema.json
	bin/describe schema --of hand-over -o docs/handover.schema.json
	go run ./docs/table
	go run ./docs/rules

clean:
	rm -rf bin web/dist/assets web/dist/index.html web/node_modules web/src/api/schema.gen.ts

$(BIN): $(GO_FILES) web/dist/index.html go.mod
	go build -o $@ ./cmd/grotta

# The same program without the console, so that describing needs no console.
bin/describe: $(GO_FILES) go.mod
	go build -o $@ ./cmd/grotta

web/dist/index.html: $(WEB_FILES) web/node_modules/.package-lock.json docs/openapi.json docs/level.schema.json
	cd web && npm run build

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund

chromium:
	@command -v chromium >/dev/null || (apt-get update && apt-get install -y --no-install-recommends chromium)
