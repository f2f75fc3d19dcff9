#!/bin/sh
# Runs the Go benchmarks of the core, so that what has become slower, or allocates more, is seen:
#
#   compare.sh         holds them against the baseline that is kept beside this script
#   compare.sh keep    and makes the new figures the baseline, which belongs to the machine that it was measured on
#   compare.sh COMMIT  holds them against those of a commit, one and the other in turn: a busy hour slows both
set -eu
cd "$(dirname "$0")/.."
here=$(pwd)
work=$(mktemp -d)
trap 'rm -rf "$work"; git worktree prune' EXIT
packages="core/reading core/record core/match core/comparison formats/delimited"
rounds=6

# build makes the benchmarks of the source folder $1, named $2.
build() {
	for p in $packages; do
		mkdir -p "$work/$2/$(dirname "$p")"
		(cd "$1" && go test -c -o "$work/$2/$p" "./$p")
	done
}

# run runs the benchmarks $2 once, in the source folder $1 with its test data.
run() {
	for p in $packages; do
		(cd "$1/$p" && "$work/$2/$p" -test.run none -test.bench '^Benchmark(Column|EncodeColumn|DecodeColumn|Gather|Feed|Finish|Build|Page|Reader|Scan)$' -test.benchtime 0.3s >>"$work/$2.txt")
	done
}

build "$here" new
old=bench/baseline.txt
case "${1:-}" in
'' | keep) ;;
*)
	git worktree add --quiet --detach "$work/source" "$1"
	build "$work/source" old
	old="$work/old.txt"
	;;
esac
for _ in $(seq $rounds); do
	if [ -d "$work/source" ]; then run "$work/source" old; fi
	run "$here" new
done
go tool benchstat "$old" "$work/new.txt"
if [ "${1:-}" = keep ]; then
	cp "$work/new.txt" bench/baseline.txt
fi
