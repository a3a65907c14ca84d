#!/usr/bin/env bash
# Passes every test: vet, gofmt, go test with the database tests against a server
# of its own, -race where goroutines meet, and the browser tests.
# ./test.sh ./core/... runs a part.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh

command -v go >/dev/null || fail "Go is not on the PATH: install Go 1.26 or newer, then start again"
need=()
[ -x /usr/bin/chromium-headless-shell ] || need+=(chromium-headless-shell)
command -v gcc >/dev/null || need+=(gcc libc6-dev)
# xmllint looks at the files for banks too, where it is: it comes along with what is missing.
[ ${#need[@]} = 0 ] || install_packages "${need[@]}" libxml2-utils

unformatted=$(gofmt -l $(git ls-files '*.go' 2>/dev/null || find . -name '*.go'))
[ -z "$unformatted" ] || fail "gofmt would change: $unformatted. Run gofmt -w on them"

# In memory where there is room for it: what is written goes with the tests.
room=$(df -k --output=avail /dev/shm 2>/dev/null | tail -n 1) || room=0
if [ "${room:-0}" -gt 4000000 ] && [ -w /dev/shm ]; then export MANUDEX_STATE=${MANUDEX_STATE:-/dev/shm/manudex}; fi
pg_fresh "test"
trap 'pg_fresh test' EXIT
# The tests' server keeps nothing: it may forget everything when it falls.
pg_start "test" fsync=off synchronous_commit=off full_page_writes=off max_connections=200 shared_buffers=256MB
export MANUDEX_TEST_DATABASE=$PG_DSN MANUDEX_TEST_RUN=$$
go vet ./...
# checkptr, which -race turns on, looks at unsafe pointers: this code has none,
# and its check of every one in the libraries takes a fifth of the time.
with_race() { go test -race -gcflags=all=-d=checkptr=0 -timeout 20m "$@"; }
if [ $# -gt 0 ]; then with_race "$@"; exit; fi

# The race detector doubles the time of what it looks at: it looks at the tests in
# which several act at once, streams are read or nodes die, in the rooms that have such,
# and at all of what is little else; they aren't run without it too. The stories run two at
# a time, beside what is light.
meet='AtOnce|Racing|Meanwhile|Live|List|Rows|Stream|Missed|Away|Lost|Nodes|DoubleTap|Bounded|HeavyReading'
all_race=(./app/work ./store ./standin)
meeting=(./web ./app/payroll ./app/company ./app/hours ./app/points)
rooms=(./web/draw ./web/form ./web/words ./demo ./app ./cmd/...)
light=$(go list ./... | grep -vxF "$(go list ./e2e "${all_race[@]}" "${meeting[@]}" "${rooms[@]}")")
failed=0
go test -timeout 20m ./e2e $light || failed=1
go test -timeout 20m -skip "$meet" "${meeting[@]}" || failed=1
go test -timeout 20m "${rooms[@]}" || failed=1
with_race -run "$meet" "${meeting[@]}" || failed=1
with_race "${all_race[@]}" || failed=1
exit $failed
