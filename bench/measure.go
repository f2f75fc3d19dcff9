package main

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"fmt"
	"io"
	"os"
	"os/exec"
	"slices"
	"sync"
	"time"
)

// measure is what a program has taken.
type measure struct {
	wall time.Duration
	peak int64 // bytes
}

// run runs a program to its end and measures it. wanted is the exit status that says that all went well. Its peak memory is looked at
// while it runs: what the system says of it afterwards counts what this program had when it started it.
func run(wanted int, command ...string) (measure, []byte) {
	cmd := exec.Command(command[0], command[1:]...)
	cmd.Stderr = os.Stderr
	var out bytes.Buffer
	cmd.Stdout = &out
	start := time.Now()
	must(cmd.Start())
	ended, peak := make(chan struct{}), make(chan int64)
	go func() {
		most := int64(0)
		for {
			most = max(most, highWater(cmd.Process.Pid))
			select {
			case <-ended:
				peak <- most
				return
			case <-time.After(10 * time.Millisecond):
			}
		}
	}()
	err := cmd.Wait()
	wall := time.Since(start)
	close(ended)
	if cmd.ProcessState.ExitCode() != wanted {
		must(fmt.Errorf("%v: %w", command, err))
	}
	return measure{wall, <-peak}, out.Bytes()
}

func median[T any](all []T, less func(a, b T) int) T {
	slices.SortFunc(all, less)
	return all[len(all)/2]
}

func byWall(a, b measure) int { return int(a.wall - b.wall) }

// parseBoth reads every record of both files with encoding/csv, each on its own goroutine.
func parseBoth(files []string) error {
	var wg sync.WaitGroup
	errs := make([]error, len(files))
	for i, name := range files {
		wg.Go(func() {
			f, err := os.Open(name)
			if err != nil {
				errs[i] = err
				return
			}
			defer f.Close()
			r := csv.NewReader(bufio.NewReaderSize(f, 1<<20))
			r.ReuseRecord = true
			for err == nil {
				_, err = r.Read()
			}
			if err != io.EOF {
				errs[i] = err
			}
		})
	}
	wg.Wait()
	for _, err := range errs {
		if err != nil {
			return err
		}
	}
	return nil
}

func size(name string) string { return fmt.Sprintf("%d MB", bytesOf(name)>>20) }

func bytesOf(name string) int64 {
	info, err := os.Stat(name)
	must(err)
	return info.Size()
}
