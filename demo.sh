#!/usr/bin/env bash
# Starts Manudex with the demo world: ./demo.sh, and ./demo.sh --fresh to
# start over. Ctrl-C stops the application and the database it started.
set -euo pipefail
cd "$(dirname "$0")"
. scripts/postgres.sh
. scripts/serve.sh

case "${1:-}" in
  "") ;;
  --fresh) pg_fresh demo ;;
  *) fail "unknown option $1: use ./demo.sh or ./demo.sh --fresh" ;;
esac

# A key of the demo's own, so that accounts can be kept.
export MANUDEX_ACCOUNT_KEYS=${MANUDEX_ACCOUNT_KEYS:-ZGVtb25zdHJhdGlvbiBvbmx5LCBub3QgYSBzZWNyZXQ=}
build
free_address
database demo shared_buffers=256MB
say "Loading the demo world, if there is none yet ..."
who=$(bin/manudex demo) || fail "the demo world did not load: see above; ./demo.sh --fresh starts over"
say ""
say "  Manudex is at http://$MANUDEX_LISTEN"
say "$who"
if [ -z "${MANUDEX_SMTP:-}" ]; then
  if (exec 3<>/dev/tcp/127.0.0.1/2525) 2>/dev/null || (exec 3<>/dev/tcp/127.0.0.1/8026) 2>/dev/null; then
    say "  It sends no mail: something else holds port 2525 or 8026, where its own mailbox would be."
  else
    bin/manudex standin mail &
    mail=$!
    export MANUDEX_SMTP=127.0.0.1:2525
    say "  What it mails shows at http://127.0.0.1:8026"
  fi
fi
if [ -z "${MANUDEX_TEXT:-}" ]; then
  if (exec 3<>/dev/tcp/127.0.0.1/8029) 2>/dev/null; then
    say "  It sends no text messages: something else holds port 8029."
  else
    bin/manudex standin text &
    texts=$!
    export MANUDEX_TEXT=http://127.0.0.1:8029/
    say "  Its text messages show at http://127.0.0.1:8029"
  fi
fi
if (exec 3<>/dev/tcp/127.0.0.1/8027) 2>/dev/null; then
  say "  Its badge reader doesn't run: something else holds port 8027."
else
  bin/manudex standin badge --to "http://$MANUDEX_LISTEN" --key mx_the-reader-of-the-demo-world &
  reader=$!
  say "  A badge reader at the works, with its cards, is at http://127.0.0.1:8027"
fi
if (exec 3<>/dev/tcp/127.0.0.1/8028) 2>/dev/null; then
  say "  Its phone line doesn't run: something else holds port 8028."
else
  bin/manudex standin phone --to "http://$MANUDEX_LISTEN" --key mx_the-reader-of-the-demo-world &
  phone=$!
  say "  A phone to call its line is at http://127.0.0.1:8028"
fi
say "  Ctrl-C stops it."
say ""
serve_until_stopped
