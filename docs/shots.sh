#!/usr/bin/env bash
# Makes the pictures in docs/screenshots from the demo data: pages in a headless Chromium, commands in an xterm.
# Needs chromium, xvfb, xterm, imagemagick, poppler-utils and a monospaced font with box characters (fonts-dejavu-core).
set -euo pipefail
cd "$(dirname "$0")/.."
out=docs/screenshots
work=$(mktemp -d)
./twinsieve demo --data "$work/data" --listen 127.0.0.1:8649 >"$work/log" 2>&1 &
service=$!
trap 'kill $service 2>/dev/null; rm -rf "$work"' EXIT
until grep -q "listens on" "$work/log"; do kill -0 $service && sleep 0.1; done
./twinsieve demo --files "$work/marrowick" >/dev/null

terminal() { # NAME ROWS COMMAND
  rm -f "$work/done"
  printf '$ %s\n' "$3" >"$work/line"
  xvfb-run --auto-servernum --server-args="-screen 0 1280x1400x24" bash -c "
    xterm -geometry 142x$2+0+0 -fa 'DejaVu Sans Mono' -fs 10 -bg '#101816' -fg '#e8eeea' +sb -e bash -c \"cat $work/line; $3; touch $work/done; sleep 20\" &
    until [ -e $work/done ]; do sleep 0.1; done; sleep 0.5
    import -window root $work/shot.png" >/dev/null 2>&1
  convert "$work/shot.png" -trim +repage -bordercolor '#101816' -border 12 "$out/$1.png"
}

# Pages come from the tests of the console, which take a picture on their way.
TWINSIEVE_SHOTS="$work" go test -count=1 -run 'TestDemo$|TestIntake/mouse|TestDepositsInConsole/mouse|TestAdviceInConsole/mouse|TestNearInConsole|TestStackSetsInConsole/mouse' ./e2e >/dev/null
cp "$work"/{report,report-entry,currencies,all-exceptions,trend,sign-off,record-sets,profile,workbench,intake-preview,advice,diagnosis,near,stack}.png "$out"
pdftoppm -r 100 -f 1 -l 1 -singlefile -png "$work/printed.pdf" "$out/printed"

export TWINSIEVE_TOKEN_FILE="$work/tokens.json"
./twinsieve signin --link "$(grep -o 'http[^?]*/enter/[^?]*' "$work/log" | head -1)" 2>/dev/null
export PATH="$PWD:$PATH" TWINSIEVE_SERVER=127.0.0.1:8649
cd "$work/marrowick"
out="$OLDPWD/$out"
terminal terminal-sift 66 "twinsieve sift service-log.csv invoices.csv --sieve berth-billing.sieve.yaml"
terminal terminal-report 86 "twinsieve report"
terminal terminal-counts 74 "twinsieve counts 'Berth billing' --key amount_due=Amount"
terminal terminal-view 22 "twinsieve view 'Berth billing' --comparison left-anti --sort 'amount_due desc' --limit 12 --totals"
