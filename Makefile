# Everything is made from here; each target does its own set-up.
BIN := bin/grotta
GO_FILES := $(shell find . -name '*.go' -not -path './web/node_modules/*')
WEB_FILES := $(shell find web -maxdepth 1 -type f) $(shell find web/src web/public -type f 2>/dev/null)

.PHONY: demo test bench screenshots generate clean chromium

demo: $(BIN)
	$(BIN) demo

test: $(BIN) chromium
	go vet ./...
	cd web && npm test
	go test -timeout 20m ./...

bench:
	go run ./docs/bench

screenshots: $(BIN) chromium
	go run ./docs/shoot

# What is generated from the Go types and committed; a test compares them.
generate: bin/describe
	bin/describe openapi -o docs/openapi.json
	bin/describe schema -o docs/level.schema.json

clean:
	rm -rf bin web/dist/assets web/dist/index.html web/node_modules web/src/api/schema.gen.ts

$(BIN): $(GO_FILES) web/dist/index.html go.mod
	go build -o $@ ./cmd/grotta

# The same program without the console, so that describing needs no console.
bin/describe: $(GO_FILES) go.mod
	go build -o $@ ./cmd/grotta

web/dist/index.html: $(WEB_FILES) web/node_modules/.package-lock.json docs/openapi.json
	cd web && npm run build

web/node_modules/.package-lock.json: web/package.json web/package-lock.json
	cd web && npm ci --no-audit --no-fund

chromium:
	@command -v chromium >/dev/null || (apt-get update && apt-get install -y --no-install-recommends chromium)
