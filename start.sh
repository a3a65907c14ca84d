#!/usr/bin/env bash
# Starts Manudex with a company of one's own, which is begun if there is none yet:
# ./start.sh. Ctrl-C stops the application and the database it started; the next
# start comes up with what was there.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh
. scripts/serve.sh

[ $# = 0 ] || fail "unknown option $1: ./start.sh takes none. What it goes by are the variables that the README lists"

build
free_address
if [ -z "${MANUDEX_DATABASE:-}" ]; then database company shared_buffers=256MB; fi
link=$(bin/manudex init) || fail "the company could not be begun: see above"
say ""
say "$link"
if [ -z "${MANUDEX_SMTP:-}" ]; then
  say "  It sends no mail until MANUDEX_SMTP names a mail server."
fi
[ -z "${PG_HOME:-}" ] || say "  What is recorded is kept in $PG_HOME; bin/manudex backup makes a copy."
say "  Ctrl-C stops it."
say ""
serve_until_stopped
