#!/usr/bin/env bash
# Measures Manudex, each figure as a ratio taken in one run. The tables go to
# docs/performance.md by hand, with the machine they were measured on.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh

people=${PEOPLE:-1000} weeks=${WEEKS:-104}
now=2026-11-13T10:12:00-05:00
pg_start bench shared_buffers=1GB max_wal_size=4GB max_connections=200
trap '[ "$PG_OURS" = 0 ] || pg_stop' EXIT
go build -o bin/manudex ./cmd/manudex
psql() { "$(pg_bin)/psql" -h 127.0.0.1 -p "$PG_PORT" -U manudex -Atq "$@"; }

# world NAME PEOPLE WEEKS: a database with a world, loaded once.
world() {
  local dsn=${PG_DSN%/manudex*}/$1?sslmode=disable
  if ! psql -d postgres -c "select 1 from pg_database where datname = '$1'" | grep -q 1; then
    say "Loading $1: $2 people, $3 weeks ..."
    "$(pg_bin)/createdb" -h 127.0.0.1 -p "$PG_PORT" -U manudex "$1"
    time bin/manudex demo --database "$dsn" --now $now --people "$2" --weeks "$3" >/dev/null
    psql -d "$1" -c "vacuum analyze"
  fi
  bin/manudex migrate --database "$dsn" >/dev/null # it may be of an earlier version
  echo "$dsn"
}

large=$(world "large_${people}_$weeks" "$people" "$weeks")
short=$(world "short_$people" "$people" 8)
small=$(world small 54 8)
many=$(world many 5000 3) # a whole pay period to close
# Punches are measured on copies, so that every run finds the same world.
for copy in punches live; do
  psql -d postgres -c "drop database if exists $copy with (force)"
  psql -d postgres -c "create database $copy template short_$people"
done
export MANUDEX_BENCH_PUNCHES=${PG_DSN%/manudex*}/punches?sslmode=disable MANUDEX_BENCH_LIVE=${PG_DSN%/manudex*}/live?sslmode=disable
export MANUDEX_BENCH_MANY=$many
export MANUDEX_BENCH_LARGE=$large MANUDEX_BENCH_SHORT=$short MANUDEX_BENCH_SMALL=$small MANUDEX_PGBENCH=$(pg_bin)/pgbench
export PGPASSWORD

say "reckon:"
go test -run '^$' -bench . -benchtime 3s ./core/pay | grep -v '^ok\|^PASS\|^goos\|^goarch\|^pkg'
go test -count 1 -v -timeout 20m ./bench | grep -v '^=== \|^PASS\|^ok\|^--- PASS'
