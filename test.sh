#!/usr/bin/env bash
# Passes every test: vet, gofmt, go test with the database tests against a server
# of its own, -race where goroutines meet, and the browser tests.
# ./test.sh ./core/... runs a part.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh

command -v go >/dev/null || fail "Go is not on the PATH: install Go 1.26 or newer, then start again"
need=()
[ -x /usr/bin/chromium ] || need+=(chromium)
command -v gcc >/dev/null || need+=(gcc libc6-dev)
[ ${#need[@]} = 0 ] || install_packages "${need[@]}"

unformatted=$(gofmt -l $(git ls-files '*.go' 2>/dev/null || find . -name '*.go'))
[ -z "$unformatted" ] || fail "gofmt would change: $unformatted. Run gofmt -w on them"

pg_fresh "test"
trap pg_stop EXIT
# The tests' server keeps nothing: it may forget everything when it falls.
pg_start "test" fsync=off synchronous_commit=off full_page_writes=off max_connections=200 shared_buffers=256MB
export MANUDEX_TEST_DATABASE=$PG_DSN MANUDEX_TEST_RUN=$$
go vet ./...
# checkptr, which -race turns on, looks at unsafe pointers: this code has none,
# and its check of every one in the libraries takes a fifth of the time.
with_race() { go test -race -gcflags=all=-d=checkptr=0 -timeout 20m "$@"; }
if [ $# -gt 0 ]; then with_race "$@"; exit; fi

# The race detector looks where goroutines meet; it doubles the time of the
# browser's stories, which run the same code as the tests of web. They wait for
# a browser half of the time, and so run beside the others.
meet=(./web/... ./app/payroll ./app/company ./app/hours ./app ./app/work ./cmd/... ./core/pay ./demo ./standin ./store)
apart=$(go list ./... | grep -vxF "$(go list "${meet[@]}")" | sort -r -t/ -k2)
beside=$PG_HOME/apart.log
go test -p 1 -timeout 20m $apart >"$beside" 2>&1 &
others=$! failed=0
with_race "${meet[@]}" || failed=1
wait $others || failed=1
cat "$beside"
exit $failed
