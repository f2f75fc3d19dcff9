package main

import (
	"context"
	"fmt"
	"io"
	"time"

	"twinsieve/client"
	"twinsieve/service/view"
)

// around measures, at each size, what analysts ask of the service before a run and after it: advice on keys, a run and another, why records found no partner and what might
// belong together, and all that there is to be handed over.
func (b *bench) around() {
	for _, records := range b.sizes {
		s := b.stocked(records)
		fmt.Printf("\n%d records a side, service with --memory %q\n%-44s %8s %8s\n", records, b.memory, "", "s", "MB")
		ctx := context.Background()
		step := func(name string, do func()) {
			forgetPeak(s.cmd.Process.Pid)
			start := time.Now()
			do()
			fmt.Printf("%-44s %8.2f %8d\n", name, time.Since(start).Seconds(), highWater(s.cmd.Process.Pid)>>20)
		}
		wait := func(j view.Job, err error) *view.JobResult {
			must(err)
			result, err := s.Wait(ctx, j, nil)
			must(err)
			return result
		}
		s.profiled("left")
		s.profiled("right") // so that they do not go on beside what comes next
		step("advice on keys", func() {
			if len(wait(s.Advise(ctx, "left", "right")).Advice.Keys) == 0 {
				must(fmt.Errorf("no key is advised"))
			}
		})
		var run uint
		step("run", func() { run = wait(s.Run(ctx, "large")).Run })
		step("run again", func() { wait(s.Run(ctx, "large")) })
		step("diagnosis of the records without a partner", func() { wait(s.DiagnoseRun(ctx, run)) })
		step("near matches among them", func() { wait(s.Near(ctx, run, 0)) })
		for _, format := range []string{"csv", "parquet", "xlsx"} {
			step("exceptions as "+format, func() { must(s.Export(ctx, run, client.Query{}, client.Format{Name: format}, io.Discard)) })
		}
		step("matched records as csv", func() { must(s.Export(ctx, run, client.Query{Tray: "matched"}, client.Format{}, io.Discard)) })
		step("rows of full as csv", func() {
			must(s.ExportRows(ctx, view.Ask{Run: run, Look: view.Look{Comparison: "full"}}, client.Format{}, io.Discard))
		})
		step("the left set as csv", func() { must(s.ExportSet(ctx, "left", client.Format{}, io.Discard)) })
		s.stop()
	}
}
