#!/usr/bin/env bash
# Starts Manudex with a company of one's own, which is begun if there is none yet:
# ./start.sh. Ctrl-C stops the application and the database it started; the next
# start comes up with what was there. With more words, the program does that with
# the company's database instead: ./start.sh backup, ./start.sh restore --from FILE.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh
. scripts/serve.sh

build
[ $# -gt 0 ] || free_address
if [ -z "${MANUDEX_DATABASE:-}" ]; then database company shared_buffers=256MB; fi
if [ $# -gt 0 ]; then
  bin/manudex "$@"
  exit
fi
link=$(bin/manudex init) || fail "the company could not be begun: see above"
say ""
say "$link"
if [ -z "${MANUDEX_SMTP:-}" ]; then
  say "  It sends no mail until MANUDEX_SMTP names a mail server."
fi
[ -z "${PG_HOME:-}" ] || say "  What is recorded is kept in $PG_HOME; ./start.sh backup makes a copy."
say "  Ctrl-C stops it."
say ""
serve_until_stopped
