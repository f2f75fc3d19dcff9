package service

import (
	"context"
	"errors"
	"io"
	"strings"

	"twinsieve/core/record"
	"twinsieve/core/typing"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
	"twinsieve/sources"
)

const (
	previewLooked  = record.BatchRecords // records that a preview looks at: those in which a load finds types
	previewRecords = 50                  // of these, that it shows
	previewRejects = 20
)

// Preview says how a file would be read with the given choices, and loads nothing.
func (v *Service) Preview(ctx context.Context, ref view.SourceRef, choices intake.Choices) (*view.Preview, error) {
	file, err := v.openSource(ctx, ref)
	if err != nil {
		return nil, err
	}
	defer file.close()
	p := &view.Preview{Name: file.name, Bytes: file.size, Records: []view.Record{}, Rejects: []view.Reject{}, Sheets: []string{}, Footers: []intake.Footer{}, Parts: []view.PreviewPart{}, Blanks: []typing.Count{}}
	src, err := file.read(ctx, choices, intake.Options{Reject: func(r record.Reject) {
		if len(p.Rejects) < previewRejects {
			p.Rejects = append(p.Rejects, view.Reject(r))
		}
	}})
	if err != nil {
		return nil, err
	}
	defer src.Close()
	if err := src.CheckTypes(); err != nil {
		return nil, unreadable(file.name, err)
	}
	finders := finders(choices.Finders(src.Columns()))
	blanks := map[string]int64{}
	for p.Looked < previewLooked && ctx.Err() == nil {
		b, err := src.Next()
		if err == io.EOF {
			p.Whole = true
			break
		}
		if err != nil {
			return nil, unreadable(file.name, err)
		}
		for i := 0; i < b.Records() && len(p.Records) < previewRecords; i++ {
			p.Records = append(p.Records, recordOf(p.Looked+int64(i), b.Origin(i), b.Cells(i)))
		}
		n := min(b.Records(), int(previewLooked-p.Looked))
		finders.add(b, n)
		likeBlanks(b, n, blanks)
		p.Looked += int64(n)
		p.Whole = false
	}
	for i, part := range src.Parts() {
		settled := part.Settled()
		shown := view.PreviewPart{Label: part.Label, Read: settled.Say(), Missing: part.Missing, Left: part.Left, Columns: part.Columns(), Records: -1}
		if o := file.parts[i]; o.counted {
			shown.Read, shown.Records = "record set "+o.name, o.records
		}
		p.Parts = append(p.Parts, shown)
	}
	p.Choices, p.Guesses, p.Rejected = src.Settled(), append([]intake.Guess{}, src.Guesses()...), src.Rejects()
	p.Merged = src.Merged()
	p.Sheets, p.Footers = append(p.Sheets, src.Sheets()...), append(p.Footers, src.Footers()...)
	for i, f := range finders {
		p.Columns = append(p.Columns, view.PreviewColumn{Name: src.Columns()[i], Type: f.Find()})
	}
	for _, text := range blankWords {
		for seen, n := range blanks {
			if strings.EqualFold(seen, text) {
				p.Blanks = append(p.Blanks, typing.Count{Text: seen, Records: n})
			}
		}
	}
	return p, ctx.Err()
}

// blankWords are what people write for nothing. They are values unless somebody says otherwise.
var blankWords = []string{"n/a", "na", "#n/a", "null", "(null)", "none", "nil", "nan", "-", "--", "?", "."}

func likeBlanks(b *record.Batch, n int, into map[string]int64) {
	for _, col := range b.Columns {
		for i := range n {
			text := col.Value(i)
			if len(text) == 0 || len(text) > 6 || col.IsNull(i) {
				continue
			}
			for _, w := range blankWords {
				if strings.EqualFold(text, w) {
					into[strings.Clone(text)]++
				}
			}
		}
	}
}

// unreadable gives an error of reading a source the form in which people see it.
func unreadable(source string, err error) error {
	if fault := new(record.Unreadable); errors.As(err, &fault) {
		p := view.Unreadable.New(source + ": " + fault.Error() + ".")
		if where := fault.Where(); where != "" {
			p.Faults = []view.Fault{{Where: where, What: fault.What}}
		}
		if fault.Misread {
			p.Faults = append(p.Faults, view.Fault{Where: "choices.invalidBytes", What: "reject, and such records are rejected"})
		}
		return p
	}
	if choice := new(intake.ChoiceError); errors.As(err, &choice) {
		return view.Invalid.New("The choice of "+choice.Error()+".", view.Fault{Where: "choices." + choice.Choice, What: choice.What})
	}
	if fault := new(sources.Fault); errors.As(err, &fault) {
		kind := map[sources.Reason]view.ProblemKind{sources.Refused: view.BadQuery, sources.TooLong: view.TooLong}[fault.Reason]
		if fault.Reason == sources.Unreachable || fault.Reason == sources.Gone {
			kind = view.Unreachable
		}
		return kind.New(source + ": " + fault.What + ".")
	}
	return err
}
