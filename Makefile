BIN := bin/dapper-mirror
export CGO_ENABLED = 0
export GOFLAGS = -buildvcs=auto

.PHONY: build demo test test-matrix bench check clean

build:
	go build -trimpath -o $(BIN) ./cmd/dapper-mirror

# The whole day on made-up data, in a fresh folder.
demo: build
	@d=$$(mktemp -d) && $(BIN) demo "$$d/quillhaven"

# Installs PostgreSQL and the sqlite3 shell when they are missing.
test: build
	@./scripts/install-test-servers
	go test -timeout 30m -count=1 -parallel 4 ./...

# The same on servers of every supported PostgreSQL major, fetched from npm.
MAJORS ?= /tmp/dapper-mirror-majors
test-matrix: build
	@./scripts/install-test-servers
	@./scripts/get-postgres-majors $(MAJORS)
	go test -run TestMatrix -timeout 30m ./internal/e2e -matrix $(MAJORS)

bench:
	go test -run '^$$' -bench . -benchmem ./internal/core/... ./internal/engine/...
	go test -run '^$$' -bench . -benchtime 3x -timeout 60m ./internal/e2e

check: build
	test -z "$$(gofmt -l cmd internal)"
	go vet ./...
	go tool staticcheck ./...
	./scripts/check-static $(BIN)

clean:
	rm -rf bin
