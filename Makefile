# Twin Sieve. `make demo` and `make test` are all that a fresh machine needs.

.PHONY: demo build test race check types bench bench-compare shots clean

NPM = npm --prefix console

demo: build
	./twinsieve demo

build: console/dist/index.html
	go build -o twinsieve ./cmd/twinsieve

console/node_modules: console/package-lock.json
	$(NPM) ci
	touch console/node_modules

console/dist/index.html: console/node_modules console/index.html console/vite.config.ts $(shell find console/src console/public -type f)
	$(NPM) run build

# Everything that has to hold: formatting, vetting, linting, generated types, and all tests. Chromium and the database servers
# come from Debian's packages.
test: check
	command -v chromium >/dev/null && command -v mariadb-install-db >/dev/null && ls /usr/lib/postgresql/*/bin/postgres >/dev/null || \
		(apt-get update && apt-get install --yes --no-install-recommends chromium postgresql mariadb-server)
	go test -timeout 17m ./...
	$(MAKE) race

# What workers do at once, under the race detector: sets of more than one batch, filters, rows, profiles, advice. Fewer cases than
# above, because the detector makes everything ten times slower.
race:
	go test -race -short -timeout 14m -run 'ManyBatches|ManyWorkers|Feed|Recheck|Compute|Parallel|Ahead' ./core/...

check: build
	@test -z "$$(gofmt -l $$(git ls-files '*.go'))" || (echo "not formatted; run gofmt -w on:"; gofmt -l $$(git ls-files '*.go'); exit 1)
	go vet ./...
	go tool staticcheck ./...
	$(NPM) run lint
	$(NPM) run --silent types:check

# After a change of the routes or of the types that they serve.
types: console/node_modules
	go run ./cmd/openapi > console/api.json
	$(NPM) run types

# The whole job at four sizes, odd shapes, and within a budget: about half an hour. Other parts are named by -only.
bench: build
	go run ./bench -chart docs/performance.svg
	go test ./core/near ./core/advise -run none -bench . -benchtime 1x

# What has become slower than the figures that are kept in bench/baseline.txt.
bench-compare:
	bench/compare.sh

# The pictures in docs/screenshots, from the demo data. Needs chromium, xterm, xvfb, imagemagick and poppler-utils.
shots: build
	docs/shots.sh

clean:
	rm -rf twinsieve console/node_modules
	git clean -fdXq console/dist
