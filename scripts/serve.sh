# Builds the program and serves until it is stopped. Sourced by start.sh and demo.sh,
# after scripts/postgres.sh.

# build: makes bin/manudex of what is here.
build() {
  command -v go >/dev/null || fail "Go is not on the PATH: install Go 1.26 or newer, then start again"
  say "Building ..."
  go build -o bin/manudex ./cmd/manudex || fail "the build failed: see above"
}

# free_address: sets MANUDEX_LISTEN, and fails when something listens there. It is
# looked at before anything is started, so that the message is not lost.
free_address() {
  export MANUDEX_LISTEN=${MANUDEX_LISTEN:-127.0.0.1:8080}
  if (exec 3<>"/dev/tcp/${MANUDEX_LISTEN%:*}/${MANUDEX_LISTEN##*:}") 2>/dev/null; then
    fail "something is already listening on $MANUDEX_LISTEN: stop it, or choose another address with MANUDEX_LISTEN=127.0.0.1:8081"
  fi
}

# database NAME [SETTING...]: starts the server's database, which is stopped when
# this ends. Sets MANUDEX_DATABASE.
database() {
  pg_start "$@"
  trap cleanup EXIT
  export MANUDEX_DATABASE=$PG_DSN
}

cleanup() {
  [ -z "${mail:-}" ] || kill "$mail" 2>/dev/null || true
  [ -z "${texts:-}" ] || kill "$texts" 2>/dev/null || true
  [ -z "${phone:-}" ] || kill "$phone" 2>/dev/null || true
  [ -z "${reader:-}" ] || kill "$reader" 2>/dev/null || true
  [ "${PG_OURS:-0}" = 0 ] || pg_stop
}

# serve_until_stopped: serves, and ends with what the server ended with.
serve_until_stopped() {
  local server code
  bin/manudex serve &
  server=$!
  trap 'kill -TERM $server 2>/dev/null || true' INT TERM
  set +e
  while kill -0 $server 2>/dev/null; do wait $server; code=$?; done
  exit "${code:-0}"
}
