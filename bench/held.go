package main

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"
)

// held is what a process has: memory, in bytes, and open files.
type held struct {
	memory int64
	files  int
}

func holds(pid int) (h held) {
	h.memory = shareOf(pid)
	files, err := os.ReadDir(fmt.Sprintf("/proc/%d/fd", pid))
	must(err)
	h.files = len(files)
	return h
}

// highWater is the most memory that a running process has had, in bytes; 0 where it has ended.
func highWater(pid int) int64 {
	status, _ := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	_, rest, found := strings.Cut(string(status), "VmHWM:")
	if !found {
		return 0
	}
	kilobytes, err := strconv.ParseInt(strings.Fields(rest)[0], 10, 64)
	must(err)
	return kilobytes << 10
}

// forgetPeak makes the system forget what a running process had at most, so that [highWater] is what it has from now on.
func forgetPeak(pid int) { must(os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", pid), []byte("5"), 0)) }

// peakWhile looks again and again at how much memory a process and those that it has started have, until the peak is asked for. A look goes through all that they have, while they
// wait for some of it, so it takes no more than a twentieth of the time.
func peakWhile(pid int) (peak func() int64) {
	stop, result := make(chan struct{}), make(chan int64)
	go func() {
		most, wait := int64(0), time.Duration(0)
		for {
			select {
			case <-stop:
				result <- most
				return
			case <-time.After(max(wait, 20*time.Millisecond)):
				start := time.Now()
				most = max(most, shareOf(pid))
				wait = 20 * time.Since(start)
			}
		}
	}()
	return func() int64 { close(stop); return <-result }
}

// shareOf is the proportional share of memory of a process and its children, in bytes.
func shareOf(pid int) (bytes int64) {
	children, _ := os.ReadFile(fmt.Sprintf("/proc/%d/task/%d/children", pid, pid))
	for _, child := range strings.Fields(string(children)) {
		if n, err := strconv.Atoi(child); err == nil {
			bytes += shareOf(n)
		}
	}
	text, _ := os.ReadFile(fmt.Sprintf("/proc/%d/smaps_rollup", pid)) // one that has ended has none
	if _, rest, found := strings.Cut(string(text), "\nPss:"); found {
		if kb, err := strconv.ParseInt(strings.Fields(rest)[0], 10, 64); err == nil {
			bytes += kb << 10
		}
	}
	return bytes
}
