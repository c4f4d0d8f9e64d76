# demo, test, bench and screenshots are the commands that the documents name.
export CGO_ENABLED = 0
GO ?= go

.PHONY: build demo test test-long bench screenshots golden schema mutate

build:
	$(GO) build -trimpath -ldflags "-s -w" -o bin/yoyaku ./cmd/yoyaku

demo: build
	rm -rf skerry-demo
	bin/yoyaku demo

# The comparisons with brute force are sampled here and whole in test-long.
test:
	$(GO) test -short ./...

test-long:
	$(GO) test ./...

bench: build
	sh scripts/bench

screenshots: build
	sh scripts/screenshots

# Writes the golden files anew. Read the difference before it is kept.
golden:
	$(GO) test ./internal/cli -update

# Writes the JSON Schemas in schema/ anew.
schema: build
	bin/yoyaku schema plan >schema/plan.json
	bin/yoyaku schema calendar >schema/calendar.json

# Changes the core in 200 small ways and counts what the tests notice.
mutate:
	sh scripts/mutate
