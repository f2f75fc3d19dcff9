package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"twinsieve/client"
	"twinsieve/core/record"
	"twinsieve/demo"
	"twinsieve/formats/outform"
	"twinsieve/service/view"
)

// intakeBench measures the service while a large file is sent to it and loaded, profiled, and a spreadsheet after it: its peak
// memory, and how long somebody else waits for a page meanwhile.
func intakeBench(binary, dir, large string, largeRecords int) {
	sheet := filepath.Join(dir, "large.xlsx")
	must(writeSheet(sheet, 200_000))
	million := filepath.Join(dir, "million.csv")
	must(demo.Large{Records: 1_000_000, Seed: 1}.Write(million, filepath.Join(dir, "other.csv")))
	fmt.Printf("\n%-46s %8s %8s %12s %12s\n", "the service, of its own for each", "seconds", "peak MB", "page 50 % ms", "page max ms")
	for _, job := range []struct {
		what, file string
		records    int64
		profile    bool
	}{
		{fmt.Sprintf("%s of CSV sent and loaded", size(large)), large, int64(largeRecords), false},
		{"1,000,000 records of CSV loaded and profiled", million, 1_000_000, true},
		{fmt.Sprintf("a spreadsheet of 200,000 records, %s", size(sheet)), sheet, 200_000, false},
	} {
		wall, peak, pages := serveWhile(binary, filepath.Join(dir, "data"), func(c *client.Client) error {
			result, err := sendFile(c, "large", job.file)
			if err != nil {
				return err
			}
			if n := result.Set.Snapshot.Records; n != job.records {
				return fmt.Errorf("%d records were loaded, not %d", n, job.records)
			}
			if !job.profile {
				return nil
			}
			begun, err := c.MakeProfile(context.Background(), "large")
			if err == nil {
				_, err = c.Wait(context.Background(), begun, nil)
			}
			return err
		})
		slices.Sort(pages)
		fmt.Printf("%-46s %8.2f %8d %12.1f %12.1f\n", job.what, wall.Seconds(), peak>>20, ms(pages[len(pages)/2]), ms(pages[len(pages)-1]))
	}
}

// sendFile sends a file to a service, and waits until it is loaded.
func sendFile(c *client.Client, set, file string) (*view.JobResult, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	begun, err := c.LoadFile(context.Background(), set, filepath.Base(file), f, view.Recipe{})
	if err != nil {
		return nil, err
	}
	return c.Wait(context.Background(), begun, nil)
}

func ms(d time.Duration) float64 { return float64(d.Microseconds()) / 1000 }

// serveWhile runs a service with a small set in it, does the work, and meanwhile asks for a page of the small set again and
// again. It returns the time of the work, the service's peak memory, and the time of each page.
func serveWhile(binary, data string, work func(*client.Client) error) (wall time.Duration, peak int64, pages []time.Duration) {
	must(os.RemoveAll(data))
	cmd := exec.Command(binary, "serve", "--listen", "127.0.0.1:0", "--data", data, "--memory", "256MB")
	out, err := cmd.StdoutPipe()
	must(err)
	must(cmd.Start())
	c, _ := signIn(out)
	small, err := c.LoadFile(context.Background(), "small", "small.csv", strings.NewReader("a,b\n"+strings.Repeat("1,2\n", 5000)), view.Recipe{})
	must(err)
	_, err = c.Wait(context.Background(), small, nil)
	must(err)
	stop, stopped := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(stopped)
		for {
			select {
			case <-stop:
				return
			case <-time.After(20 * time.Millisecond):
			}
			start := time.Now()
			_, err := c.Records(context.Background(), "small", "2000", 100)
			must(err)
			pages = append(pages, time.Since(start))
		}
	}()
	start := time.Now()
	must(work(c))
	wall = time.Since(start)
	close(stop)
	<-stopped
	peak = highWater(cmd.Process.Pid)
	must(cmd.Process.Signal(syscall.SIGTERM))
	must(cmd.Wait())
	return wall, peak, pages
}

// writeSheet writes a workbook of so many records.
func writeSheet(name string, records int) error {
	var book bytes.Buffer
	w, err := outform.New(outform.Spreadsheet, &book, []outform.Column{{Name: "call"}, {Name: "day"}, {Name: "service"}, {Name: "amount", Number: true}, {Name: "remark"}}, outform.Options{})
	if err != nil {
		return err
	}
	for n := range records {
		row := []record.Cell{{Text: fmt.Sprintf("MW-%08d", n)}, {Text: fmt.Sprintf("2031-%02d-%02d", 1+n%12, 1+n%28)}, {Text: "TUG"}, {Text: fmt.Sprintf("%d.%02d", n%5000, n%100)}, {Text: fmt.Sprintf("entry %d by hand", n)}}
		if err := w.Write(row); err != nil {
			return err
		}
	}
	if err := w.Close(); err != nil {
		return err
	}
	return os.WriteFile(name, book.Bytes(), 0o600)
}
