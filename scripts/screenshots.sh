#!/usr/bin/env bash
# Takes the pictures in docs/screenshots again, from a demo that runs at the
# fixed now: MANUDEX_NOW=2026-11-13T10:12:00-05:00 ./demo.sh --fresh
set -euo pipefail
cd "$(dirname "$0")/.."
base=${1:-http://127.0.0.1:8080}
m=mira.castellane

# written makes Bram Eberhart write some hours of the week to come down.
written() {
  local jar page employment choice day
  jar=$(mktemp)
  curl -s -o /dev/null -c "$jar" -d "email=bram.eberhart@ebbwater.example" --data-urlencode "password=beacon and gantry" "$base/signin"
  page=$(curl -s -b "$jar" "$base/byhand")
  employment=$(grep -o 'block-[0-9a-f-]*' <<<"$page" | head -n 1)
  n=0
  for choice in $(grep -o 'option value="[0-9a-f.~-]*' <<<"$page" | cut -d'"' -f2 | awk '!seen[$0]++' | grep . | head -n 3); do
    n=$((n + 1))
    for day in 16 17 18 19 20; do
      curl -s -o /dev/null -b "$jar" -d "id=$(cat /proc/sys/kernel/random/uuid)" -d "employment=${employment#block-}" \
        -d "date=2026-11-$day" \
        -d "choice=$choice" -d "hours=$((4 - n)):$((n * 15 % 60))" "$base/byhand/line"
    done
  done
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
  "layout sana.verity 1280x800 light /payruns/layouts?layout=new" \
  "people $m 1280x800 light /people" \
  "person $m 1280x800 light /people?q=halloran tr.r>td.who>a" \
  "roster wren.halloran 1280x800 light /roster" \
  "shifts dao.pham 390x844 light /shifts" \
  "leave dao.pham 390x844 light /leave" \
  "leave-away $m 1280x800 light /leave/away"
written
go run ./e2e/shots -base "$base" -out docs/screenshots "byhand bram.eberhart 1280x800 light /byhand?day=2026-11-17"
go run ./e2e/shots -base "$base" -out docs/screenshots \
  "terminal $m 1024x800 light /setup/on/points form[action$='/terminal']>button" # which signs out
