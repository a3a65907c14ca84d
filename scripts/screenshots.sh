#!/usr/bin/env bash
# Takes the pictures in docs/screenshots again, from a demo that runs at the
# fixed now: MANUDEX_NOW=2026-11-13T10:12:00-05:00 ./demo.sh --fresh
set -euo pipefail
cd "$(dirname "$0")/.."
base=${1:-http://127.0.0.1:8080}
m=mira.castellane

# forgotten makes Dao Pham say when he left, so that a request waits.
forgotten() {
  local jar card stint
  jar=$(mktemp)
  curl -s -o /dev/null -c "$jar" -d "email=dao.pham@ebbwater.example" --data-urlencode "password=beacon and gantry" "$base/signin"
  card=$(curl -s -b "$jar" "$base/clock" | grep -o '/cards/[0-9a-f-]*/2026-11-13' | head -n 1)
  stint=$(curl -s -b "$jar" "$base$card" | grep -o 'pick=[0-9a-f-]*' | tail -n 1)
  curl -s -o /dev/null -b "$jar" -d "id=$(cat /proc/sys/kernel/random/uuid)" -d "of=${stint#pick=}" -d "end=09:40" \
    --data-urlencode "why=Went to the depot and forgot to press" "$base$card/ask"
  rm -f "$jar"
}
go run ./e2e/shots -base "$base" -out docs/screenshots \
  "clock dao.pham 390x844 light /clock" \
  "crew wren.halloran 390x844 light /crew" \
  "map $m 1280x800 light /today/map" \
  "today $m 1280x800 light /today" \
  "timecards $m 1280x800 light /timecards?day=2026-11-12" \
  "timecards-night $m 1280x800 dark /timecards?day=2026-11-12" \
  "card $m 1280x800 light /timecards?day=2026-11-12&show=flagged tr.r:nth-child(3)>td.who>a" \
  "card-edit $m 1280x800 light /timecards?day=2026-11-12&show=flagged tr.r:nth-child(3)>td.who>a svg.bench:not(.narrow)>a:last-of-type" \
  "payruns $m 1280x800 light /payruns" \
  "jobs $m 1280x800 light /jobs" \
  "job $m 1280x800 light /jobs?q=2231 tr.r>td.who>a" \
  "people $m 1280x800 light /people" \
  "days dao.pham 390x844 light /clock/days" \
  "person $m 1280x800 light /people?q=halloran tr.r>td.who>a" \
  "setup $m 1280x800 light /setup/on/keeping" \
  "begin $m 1280x800 light /setup/begin?step=rules"
forgotten
go run ./e2e/shots -base "$base" -out docs/screenshots "claims $m 1280x800 light /claims" \
  "terminal $m 1024x800 light /setup/on/points form[action$='/terminal']>button" # which signs out
