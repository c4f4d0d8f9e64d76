# demo, test, bench and screenshots are the commands that the documents name.
export CGO_ENABLED = 0
GO ?= go

PREFIX ?= /usr/local
VERSION ?= dev

.PHONY: build demo install dist test test-long bench screenshots golden schema mutate

build:
	$(GO) build -trimpath -ldflags "-s -w" -o bin/yoyaku ./cmd/yoyaku

# The program, its man pages and the words that complete themselves in a shell.
install: build
	$(GO) run ./tools/manpages bin/pages
	install -d $(DESTDIR)$(PREFIX)/bin $(DESTDIR)$(PREFIX)/share/man/man1 $(DESTDIR)$(PREFIX)/share/bash-completion/completions \
	  $(DESTDIR)$(PREFIX)/share/zsh/site-functions $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d
	install bin/yoyaku $(DESTDIR)$(PREFIX)/bin/yoyaku
	install -m 644 bin/pages/man1/*.1 $(DESTDIR)$(PREFIX)/share/man/man1
	install -m 644 bin/pages/completions/yoyaku.bash $(DESTDIR)$(PREFIX)/share/bash-completion/completions/yoyaku
	install -m 644 bin/pages/completions/_yoyaku $(DESTDIR)$(PREFIX)/share/zsh/site-functions/_yoyaku
	install -m 644 bin/pages/completions/yoyaku.fish $(DESTDIR)$(PREFIX)/share/fish/vendor_completions.d/yoyaku.fish

# The archives that are handed out, in dist/.
dist:
	rm -rf dist bin/pages
	$(GO) run ./tools/manpages bin/pages
	$(GO) run ./tools/dist $(VERSION) bin/pages dist

demo: build
	rm -rf skerry-demo
	bin/yoyaku demo

# The comparisons with brute force and long tables of cases are sampled here and whole in
# test-long. Heaps are small here: with GOGC as it is a sixth of the time goes into
# collecting them. What vet finds is told by .ci/run.
test:
	GOGC=400 $(GO) test -vet=off -short ./...

test-long:
	$(GO) test -timeout 30m ./...

bench: build
	sh scripts/bench

screenshots: build
	sh scripts/screenshots

# Writes the golden files anew. Read the difference before it is kept.
golden:
	$(GO) test $$(grep -rl golden.Hold internal --include='*_test.go' | xargs -n1 dirname | sort -u | sed 's|^|./|') -short -update

# Writes the JSON Schemas in schema/ anew.
schema: build
	bin/yoyaku schema plan >schema/plan.json
	bin/yoyaku schema calendar >schema/calendar.json

# Changes the core in 200 small ways and counts what the tests notice.
mutate:
	sh scripts/mutate
