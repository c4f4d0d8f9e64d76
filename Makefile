# demo, test, bench and screenshots are the commands that the documents name.
export CGO_ENABLED = 0
GO ?= go

.PHONY: build demo test bench screenshots golden

build:
	$(GO) build -trimpath -ldflags "-s -w" -o bin/yoyaku ./cmd/yoyaku

demo: build
	rm -rf skerry-demo
	bin/yoyaku demo

test:
	$(GO) test ./...

bench: build
	sh scripts/bench

screenshots: build
	sh scripts/screenshots

# Writes the golden files anew. Read the difference before it is kept.
golden:
	$(GO) test ./internal/cli -update
