# Everything for people and machines: make demo, make test, make bench.
export GOTOOLCHAIN = local
export GOFLAGS = -buildvcs=false
OWL = bin/owl
LAID_OUT = 'internal/**/*.html' 'internal/web/ui/static/*.js' 'internal/web/ui/css/*.css' 'e2e/*.mjs' 'tools/*.mjs' package.json

.PHONY: help demo demo-large demo-reset serve build assets test lint \
  test-go test-race test-faults test-attack test-e2e test-first test-second \
  faults attack bench compare crowd bench-store mutants screenshots setup \
  setup-test vulnerabilities fuzz clean

help: ## show the targets
	@grep -E '^[a-z-]+:.*##' $(MAKEFILE_LIST) | sed 's/:.*## /\t/' | expand -t 16

demo: setup build ## run the application with a simulated estate
	@exec $(OWL) demo

demo-reset: ## forget the demo's data, so that the next start is fresh
	@tools/reset.sh

demo-large: setup build ## run it with 2,000 devices and 90 days of history
	@exec $(OWL) demo-large

serve: setup build ## run the application for real devices
	@exec $(OWL) serve

build: assets
	@go build -tags gosnmp_nodebug -o $(OWL) ./cmd/owl

assets: node_modules/.installed
	@node tools/assets.mjs > /dev/null

node_modules/.installed: package-lock.json
	@npm ci --no-audit --no-fund --ignore-scripts --loglevel=error
	@touch $@

setup: ## install what running needs
	@tools/setup.sh postgresql

setup-test: ## install what tests need besides
	@tools/setup.sh postgresql chromium

test: setup-test build lint test-go test-attack ## run all tests
	@$(MAKE) --no-print-directory --jobs=3 test-faults test-first test-second # they wait more than they work

lint: setup assets ## look at the code without running it: layout, line width, likely mistakes
	@test -z "$$(gofmt -l cmd internal kits | tee /dev/stderr)"
	@node tools/width.mjs
	@npx --no-install prettier --log-level=warn --check $(LAID_OUT)
	@go vet -tags gosnmp_nodebug ./...
	@go tool staticcheck -tags gosnmp_nodebug ./...

test-go: setup assets
	@go test -tags gosnmp_nodebug -vet=off -timeout 10m ./...

test-faults: setup build
	@go run -tags gosnmp_nodebug ./cmd/faults -short

test-attack: setup build
	@go run -tags gosnmp_nodebug ./cmd/attack -short

test-race: setup assets ## run the Go tests with the race detector, which needs a C compiler
	@go test -race -tags gosnmp_nodebug -timeout 20m ./...

test-e2e: setup-test build
	@tools/e2e.sh

test-first: setup-test build
	@tools/e2e.sh --project=first --project=looks

test-second: setup-test build
	@tools/e2e.sh --project=second

bench: setup build ## measure; prints a table and writes bench.json
	@go run -tags gosnmp_nodebug ./cmd/bench
	@go test -tags gosnmp_nodebug -run '^$$' -bench . -benchtime 3x ./internal/service/... ./internal/engine | grep -E 'Benchmark|FAIL'
	@go test -tags gosnmp_nodebug -run '^$$' -bench Checks -benchtime 5s ./internal/app | grep -E 'Benchmark|FAIL'

compare: setup assets ## measure another commit and this one in turn, and tell the ratios (BASE=c33f0c1 PAIRS=10)
	@node tools/compare.mjs $(BASE) $(PAIRS)

crowd: setup-test build ## let 40 people and programs and 2 browsers use 10,000 devices at once; takes a quarter of an hour
	@go run -tags gosnmp_nodebug ./cmd/crowd

bench-store: setup build ## measure the sample store; prints a table and writes bench-store.json
	@go run ./cmd/bench-store

mutants: setup assets ## change lines on purpose and tell what no test noticed; takes an hour or two (AREA=internal/core/plan for a part)
	@node tools/mutants.mjs $(AREA)

fuzz: setup build ## fuzz every parser of bytes from outside, FUZZTIME (60s) each
	@tools/fuzz.sh

VULNDB ?= https://vuln.go.dev
vulnerabilities: ## ask for known defects of what we stand on; needs a network, or VULNDB=file:///…
	@go run golang.org/x/vuln/cmd/govulncheck@v1.9.0 -db $(VULNDB) -tags gosnmp_nodebug ./...
	@npm audit --omit=dev

attack: setup build ## play the enemy of the running application; takes eight minutes
	@go run ./cmd/attack

faults: setup build ## break what the application stands on again and again, with an account of its own; takes a good half hour
	@go run ./cmd/faults

screenshots: setup-test build ## make docs/screenshots anew from the demo
	@tools/e2e.sh --project=screenshots

clean:
	@rm -rf bin node_modules test-results internal/web/ui/static/vendor
