package cli

import (
	"math"
	"os"
	"runtime"
	"runtime/debug"
	"strconv"
	"strings"
)

// The least that memory and uploads can be limited to.
const (
	leastMemory = 1 << 20
	leastUpload = 1 << 10
)

// parseBytes reads a number of bytes, of at least so many, such as 64MB, 2GB or 1048576. Units are powers of 1,024.
func parseBytes(option, text string, least int64) (int64, error) {
	upper := strings.ToUpper(strings.TrimSpace(text))
	unit := int64(1)
	for i, suffix := range []string{"KB", "MB", "GB", "TB"} {
		if number, ok := strings.CutSuffix(upper, suffix); ok {
			upper, unit = strings.TrimSpace(number), 1<<(10*(i+1))
			break
		}
	}
	n, err := strconv.ParseInt(upper, 10, 64)
	if err != nil || n <= 0 {
		return 0, wrongRequest("%s %q is not a size; write one such as 64MB or 2GB", option, text)
	}
	if n > math.MaxInt64/unit {
		return 0, wrongRequest("%s %q is more than can be counted", option, text)
	}
	if n *= unit; n < least {
		return 0, wrongRequest("%s %q is too little: give at least %s", option, text, sizeText(least))
	}
	return n, nil
}

// sizeText writes a number of bytes with its unit.
func sizeText(n int64) string {
	for _, unit := range []string{"bytes", "KB", "MB", "GB"} {
		if n < 1<<10 {
			return strconv.FormatInt(n, 10) + unit
		}
		n >>= 10
	}
	return strconv.FormatInt(n, 10) + "TB"
}

// defaultMemory is the budget where none is stated: a quarter of the machine's memory, or 1 GB where that is not known.
func defaultMemory() int64 {
	text, err := os.ReadFile("/proc/meminfo")
	if err != nil {
		return 1 << 30
	}
	for _, line := range strings.Split(string(text), "\n") {
		if fields := strings.Fields(line); len(fields) == 3 && fields[0] == "MemTotal:" {
			if kb, err := strconv.ParseInt(fields[1], 10, 64); err == nil {
				return kb << 10 / 4
			}
		}
	}
	return 1 << 30
}

// program is about how much memory the program itself takes, which the garbage collector does not count.
const program = 60 << 20

// keepTo makes the garbage collector keep the whole process near the budget. Data takes at most three quarters of it.
func keepTo(budget int64) (data int64) {
	debug.SetMemoryLimit(budget - min(program, budget/8))
	return budget * 3 / 4
}

// How eagerly the garbage collector works depends on what a sift is about. Of a process whose memory is mostly large pieces without pointers,
// collecting costs next to nothing.

// keepIdle is for the time before any data: as long as there is next to none, the collector would work again and again.
func keepIdle() { debug.SetGCPercent(1000) }

// seldom is how much garbage may gather, as a percentage of what is in use, where looking for it would be in vain; often, where a budget is near.
const (
	seldom = 400
	often  = 100
)

// keepLean is for when data comes in: what data is read with is used again, so that there is little garbage. The budget holds all the same.
func keepLean() { debug.SetGCPercent(seldom) }

// keepRoomy is for when the data has been matched, and its room can be used for other things. It gives that room back. Where there is not much more than
// what is in use, garbage is not to gather, for it would come so fast that the budget is passed.
func keepRoomy(budget int64) {
	var now runtime.MemStats
	if runtime.ReadMemStats(&now); int64(now.HeapAlloc) >= budget/8 {
		debug.SetGCPercent(often)
	}
	go runtime.GC()
}
