# The ways to build, try and test. A fresh machine needs no more than Go and make: the targets install
# what else is missing (PostgreSQL, Chromium, Node; for the tests MQTT and CoAP clients) through Debian's packages.

HTTP ?= 127.0.0.1:8080
MQTT ?= 127.0.0.1:1883
COAP ?= 127.0.0.1:5683
COAPS ?= 127.0.0.1:5684

export PATH := $(CURDIR)/.node/node_modules/.bin:$(PATH)

console_sources := $(shell find console/src console/public console/index.html console/vite.config.ts -type f -not -name '*.gen.ts')

.PHONY: race build demo test check bench install install-test install-peers screenshots released clean

## build: bin/jaunty with the console in it
build: install console/dist/index.html
	go build -o bin/jaunty ./cmd/jaunty

## demo: a whole made-up site on this machine; Ctrl-C stops it
demo: build install-test
	bin/jaunty demo $(if $(DATA),--data $(DATA)) --http $(HTTP) --mqtt $(MQTT) --coap $(COAP) --coaps $(COAPS)

## test: everything a newcomer needs to see it work
test: build install-test install-peers
	go test -count=1 -parallel 3 -timeout 30m ./...

## check: before each commit
check: build install-test install-peers
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || { gofmt -l $$(git ls-files '*.go'); exit 1; }
	go vet ./...
	go tool staticcheck ./...
	cd console && npx --no-install tsc --noEmit && npx --no-install eslint src && npx --no-install prettier --check --log-level warn src
	go test -short -timeout 10m ./...

## race: what runs at once, watched by Go's race detector
race: build install-test install-peers
	go test -race -count=1 -timeout 40m ./pipeline ./server ./intake/... ./notify

## bench: the figures, as ratios against a bare baseline in the same run
bench: build
	go test -run '^$$' -bench . -benchtime 2s ./core/alarm
	go run ./bench

## screenshots: take docs/screenshots anew from a demo that runs (JAUNTY_PASSWORD, HTTP)
screenshots:
	go run ./docs/screenshots -url http://$(HTTP)

## released: promise the API as it is described now: a test finds what would break programs written for it
released: build
	bin/jaunty openapi | gzip -9nc > server/testdata/released.yaml.gz

install:
	@.ci/install postgres node

install-test:
	@.ci/install chromium

install-peers:
	@.ci/install curl peers

console/node_modules/.package-lock.json: console/package.json console/package-lock.json
	cd console && npm ci --no-audit --no-fund --loglevel=error
	@touch $@

console/src/api/schema.gen.ts: docs/openapi.yaml console/node_modules/.package-lock.json
	cd console && npm run --silent types >/dev/null

console/dist/index.html: $(console_sources) console/src/api/schema.gen.ts
	cd console && npm run --silent build -- --logLevel warn

clean:
	rm -rf bin .node console/node_modules console/src/api/schema.gen.ts
	find console/dist -mindepth 1 -not -name .gitkeep -delete
