#!/usr/bin/env bash
# Makes the pictures in docs/screenshots from the demo data: pages in a headless Chromium, commands in an xterm.
# Needs chromium, xvfb, xterm, imagemagick and a monospaced font with box characters (fonts-dejavu-core).
set -euo pipefail
cd "$(dirname "$0")/.."
out=docs/screenshots
work=$(mktemp -d)
./twinsieve demo --data "$work/data" --listen 127.0.0.1:8649 >"$work/log" 2>&1 &
service=$!
trap 'kill $service 2>/dev/null; rm -rf "$work"' EXIT
until grep -q "listens on" "$work/log"; do kill -0 $service && sleep 0.1; done
./twinsieve demo --files "$work/marrowick" >/dev/null

page() { # NAME PATH [dark]
  local scheme=()
  [ "${3:-}" = dark ] && scheme=(--blink-settings=preferredColorScheme=0)
  timeout 60 chromium --headless --no-sandbox --disable-gpu --disable-quic --no-first-run --disable-background-networking --disable-component-update \
    --disable-sync --user-data-dir="$work/profile-$1" --force-prefers-reduced-motion --window-size=1280,"${4:-800}" --hide-scrollbars --virtual-time-budget=6000 "${scheme[@]}" \
    --screenshot="$out/$1.png" "http://127.0.0.1:8649$2" >/dev/null 2>&1
}

terminal() { # NAME ROWS COMMAND
  rm -f "$work/done"
  printf '$ %s\n' "$3" >"$work/line"
  xvfb-run --auto-servernum --server-args="-screen 0 1280x1400x24" bash -c "
    xterm -geometry 142x$2+0+0 -fa 'DejaVu Sans Mono' -fs 10 -bg '#101816' -fg '#e8eeea' +sb -e bash -c \"cat $work/line; $3; touch $work/done; sleep 20\" &
    until [ -e $work/done ]; do sleep 0.1; done; sleep 0.5
    import -window root $work/shot.png" >/dev/null 2>&1
  convert "$work/shot.png" -trim +repage -bordercolor '#101816' -border 12 "$out/$1.png"
}

page record-sets /sets
./twinsieve profile service-log --server 127.0.0.1:8649 >/dev/null # a page that waits for it does not stand still
page profile /sets/service-log
# Pages that need a person's hand come from the tests of the console, which take a picture on their way.
TWINSIEVE_SHOTS="$work" go test -count=1 -run 'TestIntake/mouse|TestDatabaseInConsole/mouse|TestAdviceInConsole/mouse|TestNearInConsole|TestRowsInConsole/mouse|TestStackSetsInConsole/mouse' ./e2e >/dev/null
cp "$work"/{intake-preview,connections,advice,diagnosis,by-hand,near,separate,stack}.png "$out"
page workbench "/sieves/of/Berth%20billing" light 1500
page workbench-dark "/sieves/of/Berth%20billing" dark 1500
page report /reports/2
page report-entry "/reports/2?tray=differing&entry=2"

export PATH="$PWD:$PATH" TWINSIEVE_SERVER=127.0.0.1:8649
cd "$work/marrowick"
out="$OLDPWD/$out"
terminal terminal-sift 60 "twinsieve sift service-log.csv invoices.csv --sieve berth-billing.sieve.yaml"
terminal terminal-report 29 "twinsieve report --tray differing --limit 24"
lookalike=$(twinsieve near "Berth billing" --output csv | sed -n 2p | cut -d, -f3)
terminal terminal-trace 14 "twinsieve trace 'Berth billing' --record left-$lookalike"
terminal terminal-counts 74 "twinsieve counts 'Berth billing' --key amount_due=Amount"
terminal terminal-view 22 "twinsieve view 'Berth billing' --comparison left-anti --sort 'amount_due desc' --limit 12 --totals"
