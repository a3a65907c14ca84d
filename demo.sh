#!/usr/bin/env bash
# Starts Manudex with the demo world: ./demo.sh, and ./demo.sh --fresh to
# start over. Ctrl-C stops the application and the database it started.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh

case "${1:-}" in
  "") ;;
  --fresh) pg_fresh demo ;;
  *) fail "unknown option $1: use ./demo.sh or ./demo.sh --fresh" ;;
esac

command -v go >/dev/null || fail "Go is not on the PATH: install Go 1.26 or newer, then start again"
say "Building ..."
go build -o bin/manudex ./cmd/manudex || fail "the build failed: see above"
listen=${MANUDEX_LISTEN:-127.0.0.1:8080}
# Looked at before anything is started, so that the message is not lost.
if (exec 3<>"/dev/tcp/${listen%:*}/${listen##*:}") 2>/dev/null; then
  fail "something is already listening on $listen: stop it, or choose another address with MANUDEX_LISTEN=127.0.0.1:8081"
fi
pg_start demo shared_buffers=256MB
cleanup() {
  [ -z "${mail:-}" ] || kill "$mail" 2>/dev/null || true
  [ "${PG_OURS:-0}" = 0 ] || pg_stop
}
trap cleanup EXIT
export MANUDEX_DATABASE=$PG_DSN MANUDEX_LISTEN=$listen
say "Loading the demo world, if there is none yet ..."
who=$(bin/manudex demo) || fail "the demo world did not load: see above; ./demo.sh --fresh starts over"
say ""
say "  Manudex is at http://$MANUDEX_LISTEN"
say "$who"
if [ -z "${MANUDEX_SMTP:-}" ] && ! (exec 3<>/dev/tcp/127.0.0.1/2525) 2>/dev/null && ! (exec 3<>/dev/tcp/127.0.0.1/8026) 2>/dev/null; then
  bin/manudex standin mail &
  mail=$!
  export MANUDEX_SMTP=127.0.0.1:2525
  say "  What it mails shows at http://127.0.0.1:8026"
fi
say "  Ctrl-C stops it."
say ""
bin/manudex serve &
server=$!
trap 'kill -TERM $server 2>/dev/null || true' INT TERM
set +e
while kill -0 $server 2>/dev/null; do wait $server; code=$?; done
exit "${code:-0}"
