package service

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"unicode"

	"twinsieve/core/record"
	"twinsieve/formats/delimited"
	"twinsieve/service/view"
	"twinsieve/store"
)

// Sets lists the record sets.
func (v *Service) Sets(ctx context.Context) (*view.Sets, error) {
	sets, newest, err := v.store.Sets(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Sets{Sets: []view.Set{}}
	for i := range sets {
		list.Sets = append(list.Sets, setOf(sets[i], newest[i]))
	}
	return list, nil
}

// Set returns a record set.
func (v *Service) Set(ctx context.Context, name string) (*view.Set, error) {
	set, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	s := setOf(set, snap)
	return &s, nil
}

func (v *Service) set(ctx context.Context, name string) (store.RecordSet, store.Snapshot, error) {
	set, snap, err := v.store.Set(ctx, name)
	return set, snap, problem(err, fmt.Sprintf("record set %q", name))
}

func setOf(set store.RecordSet, snap store.Snapshot) view.Set {
	return view.Set{Name: set.Name, Snapshot: view.Snapshot{Number: snap.Number, Columns: snap.Columns, Records: snap.Records, Rejects: snap.Rejects,
		Bytes: snap.Bytes, Hash: snap.Hash, Source: snap.Source, Delimiter: snap.Delimiter, Created: snap.Created}}
}

// Load says how a file is to be loaded.
type Load struct {
	Set       string // name of the record set, made where it is not there
	Source    string // name of the file, for people
	Delimiter string // "": found
}

// checkName refuses names that could not be typed or shown.
func checkName(what, name string) error {
	bad := strings.IndexFunc(name, func(r rune) bool { return r == '/' || unicode.IsControl(r) })
	if name == "" || len(name) > 200 || bad >= 0 || strings.TrimSpace(name) != name {
		return view.Invalid.New(fmt.Sprintf("%q cannot be the name of a %s; use 1 to 200 characters without a slash, control characters, or spaces at the ends.", name, what))
	}
	return nil
}

// Load begins to load a file from source as the newest snapshot of a record set. The source is taken to a temporary file
// first; the job then reads that.
func (v *Service) Load(ctx context.Context, l Load, source io.Reader) (view.Job, error) {
	if err := checkName("record set", l.Set); err != nil {
		return view.Job{}, err
	}
	opts := delimited.Options{}
	switch {
	case l.Delimiter == "":
	case len(l.Delimiter) == 1 && l.Delimiter != "\n" && l.Delimiter != `"`:
		opts.Delimiter = l.Delimiter[0]
	default:
		return view.Job{}, view.Invalid.New(fmt.Sprintf("The delimiter %q is not one character; write one such as ; or | or a tab.", l.Delimiter))
	}
	f, err := os.CreateTemp(v.store.TempDir(), "twinsieve-spill-upload-*")
	if err != nil {
		return view.Job{}, err
	}
	_ = os.Remove(f.Name()) // where an open file can be unlinked; elsewhere the next start clears it
	size, err := io.Copy(f, source)
	if err == nil {
		_, err = f.Seek(0, io.SeekStart)
	}
	if err != nil {
		_ = f.Close()
		if strings.Contains(err.Error(), "no space left") {
			return view.Job{}, problem(store.ErrFull, "")
		}
		return view.Job{}, view.Invalid.New("The file did not arrive whole: " + err.Error())
	}
	job, err := v.jobs.start(ctx, "load", l.Set, "", func(ctx context.Context, j *job) (*view.JobResult, error) {
		defer f.Close()
		return v.load(ctx, j, l, opts, f, size)
	})
	if err != nil {
		_ = f.Close()
	}
	return job, err
}

func (v *Service) load(ctx context.Context, j *job, l Load, opts delimited.Options, source io.Reader, size int64) (_ *view.JobResult, err error) {
	var rejects []store.Reject
	opts.Reject = func(r record.Reject) {
		rejects = append(rejects, store.Reject{Line: r.Line, Reason: r.Reason, Text: r.Text})
	}
	r, err := delimited.NewReader(source, opts)
	if err != nil {
		return nil, unreadable(l.Source, err)
	}
	w, err := v.store.NewSnapshot(ctx, l.Set, r.Columns(), l.Source, string(r.Delimiter()))
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			if dropErr := w.Drop(); dropErr != nil {
				v.options.Log.Error("the remains of a load could not be removed", "set", l.Set, "error", dropErr)
			}
		}
	}()
	flush := func() error {
		if len(rejects) == 0 {
			return nil
		}
		err := w.AddRejects(ctx, rejects)
		rejects = rejects[:0]
		return err
	}
	for {
		batch, err := r.Next()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, unreadable(l.Source, err)
		}
		if batch.First+int64(batch.Records()) > record.MaxRecords {
			return nil, view.Unreadable.New(fmt.Sprintf("%s has more than %d records, the most that a record set holds.", l.Source, int64(record.MaxRecords)))
		}
		if err := w.Add(ctx, batch); err != nil {
			return nil, err
		}
		if len(rejects) >= 1000 {
			if err := flush(); err != nil {
				return nil, err
			}
		}
		j.progress("reading the file", r.Bytes(), size)
	}
	if err := flush(); err != nil {
		return nil, err
	}
	snap, err := w.Seal(ctx, size)
	if err != nil {
		return nil, err
	}
	set := setOf(store.RecordSet{Name: l.Set}, snap)
	return &view.JobResult{Set: &set}, nil
}

func unreadable(source string, err error) error {
	if fault := new(record.Unreadable); errors.As(err, &fault) {
		p := view.Unreadable.New(source + ": " + fault.Error() + ".")
		if fault.Line > 0 {
			p.Faults = []view.Fault{{Where: "line " + strconv.FormatInt(fault.Line, 10), What: fault.What}}
		}
		return p
	}
	return err
}

// DeleteSet removes a record set. A set that a sieve uses stays.
func (v *Service) DeleteSet(ctx context.Context, name string) error {
	list, err := v.Sieves(ctx)
	if err != nil {
		return err
	}
	for _, s := range list.Sieves {
		if s.Definition.Left == name || s.Definition.Right == name {
			return view.InUse.New(fmt.Sprintf("The record set %q is used by the sieve %q; delete or change that sieve first.", name, s.Definition.Name))
		}
	}
	return problem(v.store.DeleteSet(ctx, name), fmt.Sprintf("record set %q", name))
}

// pageSize is the number of rows of a page: as many as asked for, within limits; 100 where nothing is asked.
func pageSize(limit int) int {
	if limit <= 0 {
		return 100
	}
	return min(limit, 1000)
}

// cursor reads a page's cursor.
func cursor(text string) (int64, error) {
	if text == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return 0, view.Invalid.New(fmt.Sprintf("The cursor %q was not given out by this service; leave it out to begin at the start.", text))
	}
	return n, nil
}

// Records returns a page of a record set's newest snapshot.
func (v *Service) Records(ctx context.Context, name, after string, limit int) (*view.Records, error) {
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	first, err := cursor(after)
	if err != nil {
		return nil, err
	}
	page := &view.Records{Columns: snap.Columns, Records: []view.Record{}}
	end := min(first+int64(pageSize(limit)), snap.Records)
	var rows []uint32
	for n := first; n < end; n++ {
		rows = append(rows, uint32(n))
	}
	err = record.Gather(ctx, v.store.Table(snap), rows, func(n int, b *record.Batch, i int) {
		page.Records = append(page.Records, recordOf(int64(rows[n]), b.Line(i), b.Cells(i)))
	})
	if err != nil {
		return nil, err
	}
	if end < snap.Records {
		page.Next = strconv.FormatInt(end, 10)
	}
	return page, nil
}

func recordOf(number, line int64, cells []record.Cell) view.Record {
	r := view.Record{Number: number + 1, Line: line}
	for _, c := range cells {
		if c.Null {
			r.Cells = append(r.Cells, nil)
		} else {
			r.Cells = append(r.Cells, &c.Text)
		}
	}
	return r
}

// Rejects returns a page of the rejected lines of a record set's newest snapshot.
func (v *Service) Rejects(ctx context.Context, name, after string, limit int) (*view.Rejects, error) {
	_, snap, err := v.set(ctx, name)
	if err != nil {
		return nil, err
	}
	line, err := cursor(after)
	if err != nil {
		return nil, err
	}
	size := pageSize(limit)
	rows, err := v.store.Rejects(ctx, snap.ID, line, size)
	if err != nil {
		return nil, err
	}
	page := &view.Rejects{Rejects: []view.Reject{}, Total: snap.Rejects}
	for _, r := range rows {
		page.Rejects = append(page.Rejects, view.Reject{Line: r.Line, Reason: r.Reason, Text: r.Text})
	}
	if len(rows) == size {
		page.Next = strconv.FormatInt(rows[len(rows)-1].Line, 10)
	}
	return page, nil
}
