package service

import (
	"context"

	"slices"

	"twinsieve/core/ahead"
	"twinsieve/core/exception"
	"twinsieve/core/match"
	"twinsieve/core/record"
)

// entriesAtOnce is how many entries or rows are read of two tables at a time: fewer than fit, so that what comes behind the reading has something to do, where the tables stay in memory as
// they are read. Else each part of a long list reads most of both anew, and it is as many as an eighth of a job's memory has room for.
func (v *Service) entriesAtOnce(ctx context.Context, tables [2]record.Table) (int, error) {
	const cell, entry = 32, 100 // bytes of each beside its text
	all, each := int64(0), int64(entry)
	for _, t := range tables {
		if t.Records() == 0 {
			continue
		}
		b, err := t.Batch(ctx, 0)
		if err != nil {
			return 0, err
		}
		bytes := b.Bytes()/int64(max(b.Records(), 1)) + 1
		all += bytes * t.Records()
		each += bytes + cell*int64(len(b.Columns))
	}
	if all <= v.jobs.memory.forRecords() {
		return fewEntries, nil
	}
	return int(max(fewEntries, v.options.Memory/(2*jobsAtOnce)/8/each)), nil
}

// fewEntries is how many are read at a time at least.
const fewEntries = 16_000

// eachRead visits the entries of a match at places, in their order, some at a time, while the next ones are read.
func (v *Service) eachRead(ctx context.Context, p *planned, index *match.Index, places []exception.Place, visit func([]exception.Entry) error) error {
	tables := v.tables(p)
	atOnce, err := v.entriesAtOnce(ctx, tables)
	if err != nil {
		return err
	}
	return ahead.Each(ctx, func(ctx context.Context, pass func([]exception.Entry) error) error {
		for some := range slices.Chunk(places, atOnce) {
			entries, err := exception.Read(ctx, p.Plan, index, tables, some)
			if err != nil {
				return err
			}
			if err := pass(entries); err != nil {
				return err
			}
		}
		return nil
	}, visit)
}
