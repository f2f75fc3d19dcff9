#!/bin/sh
# Runs the Go benchmarks of the core and holds them against the baseline that is kept beside this script: what has become slower, or
# allocates more, is seen. With "keep" the new figures become the baseline, which belongs to the machine that it was measured on.
set -eu
cd "$(dirname "$0")/.."
new=$(mktemp)
trap 'rm -f "$new"' EXIT
go test -run none -bench '^Benchmark(Column|EncodeColumn|DecodeColumn|Gather|Feed|Finish|Build|Page|Reader|Scan)$' -benchtime 0.3s -count 6 \
	./core/reading ./core/record ./core/match ./core/comparison ./formats/delimited >"$new"
if [ "${1:-}" = keep ]; then
	cp "$new" bench/baseline.txt
fi
go tool benchstat bench/baseline.txt "$new"
