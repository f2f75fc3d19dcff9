package service

import (
	"bytes"
	"encoding/json"
	"math"

	"github.com/fxamacker/cbor/v2"

	"twinsieve/core/exception"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/view"
)

// A body is what a run keeps of an exception: its records with their cells, how its fields came out, and the reason. How people see that is made when they look, as the sieve's definition of that run says,
// see [Service.readBody]. It is CBOR (RFC 8949), in which a text that is no UTF-8 stays what it is.
type body struct {
	_      struct{} `cbor:",toarray"`
	Tray   uint8
	Side   uint8
	Reason string
	Sides  [2]*bodyRecord
	Fields []bodyField
	Group  *bodyGroup
	Hand   uint
	Joined bool
	Reject *bodyReject
}

// bodyRecord is a record: its cells' texts, and which of them are null.
type bodyRecord struct {
	_      struct{} `cbor:",toarray"`
	Number uint32
	Line   int64
	Run    int64
	Texts  []string
	Nulls  []int
}

type bodyField struct {
	_          struct{} `cbor:",toarray"`
	Agrees     bool
	Difference string
	Totals     []string // both sides', or none
}

type bodyGroup struct {
	_       struct{} `cbor:",toarray"`
	Count   [2]int64
	Records [2][]bodyRecord
}

type bodyReject struct {
	_            struct{} `cbor:",toarray"`
	Line         int64
	Reason, Text string
}

var (
	bodyWriter = must(cbor.EncOptions{}.UserBufferEncMode())
	bodyReader = must(cbor.DecOptions{UTF8: cbor.UTF8DecodeInvalid, MaxArrayElements: math.MaxInt32, TextUnmarshaler: cbor.TextUnmarshalerTextString}.DecMode())
)

// must is for what cannot fail with the options that it is given.
func must[T any](one T, err error) T {
	if err != nil {
		panic(err)
	}
	return one
}

// keeper writes the bodies of exceptions, one behind the other. It is not for several goroutines at once.
type keeper struct {
	text    bytes.Buffer
	records [2]bodyRecord // for the one that is being written
	fields  []bodyField
}

// add writes what is kept of an exception that is where it is for a reason.
func (w *keeper) add(e *exception.Entry, reason string) error {
	b := body{Tray: uint8(e.Tray), Side: uint8(e.Side), Reason: reason, Hand: e.Hand, Joined: e.Joined}
	for s, r := range e.Sides {
		if r != nil {
			b.Sides[s] = &w.records[s]
			b.Sides[s].fill(r)
		}
	}
	w.fields = w.fields[:0]
	for i, f := range e.Fields {
		w.fields = append(w.fields, bodyField{Agrees: f.Agrees, Difference: f.Difference})
		if f.Totals != [2]string{} {
			w.fields[i].Totals = f.Totals[:]
		}
	}
	b.Fields = w.fields
	if g := e.Group; g != nil {
		b.Group = &bodyGroup{Count: g.Count}
		for s := range g.Records {
			b.Group.Records[s] = make([]bodyRecord, len(g.Records[s]))
			for i := range g.Records[s] {
				b.Group.Records[s][i].fill(&g.Records[s][i])
			}
		}
	}
	return bodyWriter.MarshalToBuffer(&b, &w.text)
}

// rejectBody is what is kept of a line of side s that is no record.
func rejectBody(s tray.Side, r view.Reject) (string, error) {
	var text bytes.Buffer
	err := bodyWriter.MarshalToBuffer(&body{Tray: uint8(tray.Reject), Side: uint8(s), Reason: r.Reason, Reject: &bodyReject{Line: r.Line, Reason: r.Reason, Text: r.Text}}, &text)
	return text.String(), err
}

// fill makes it what a record is.
func (r *bodyRecord) fill(of *exception.Record) {
	r.Number, r.Line, r.Run, r.Texts, r.Nulls = of.Number, of.Line, of.Run, r.Texts[:0], r.Nulls[:0]
	for i, c := range of.Cells {
		if r.Texts = append(r.Texts, c.Text); c.Null {
			r.Nulls = append(r.Nulls, i)
		}
	}
}

func (r *bodyRecord) record() *exception.Record {
	out := &exception.Record{Number: r.Number, Origin: record.Origin{Line: r.Line, Run: r.Run}, Cells: make([]record.Cell, len(r.Texts))}
	for i, text := range r.Texts {
		out.Cells[i].Text = text
	}
	for _, i := range r.Nulls {
		if i >= 0 && i < len(out.Cells) {
			out.Cells[i].Null = true
		}
	}
	return out
}

// seen is an exception as a run has found it: with the reason for it, and without what only its reason is made from. Of a line that is no record, the line.
type seen struct {
	exception.Entry
	reject *view.Reject
}

// readSeen reads what [keeper] has written, or what was kept before: what people saw, as CBOR or JSON.
func readSeen(text string) (*seen, error) {
	if keptAsShown(text) {
		var e view.Entry
		if err := readShown(text, &e); err != nil {
			return nil, err
		}
		if e.Reject != nil {
			return &seen{exception.Entry{Tray: tray.Reject, Side: sideOf(&e)}, e.Reject}, nil
		}
		return &seen{*readBack(&e), nil}, nil
	}
	var b body
	if err := bodyReader.Unmarshal([]byte(text), &b); err != nil {
		return nil, err
	}
	s := &seen{Entry: exception.Entry{Tray: tray.Tray(b.Tray), Side: tray.Side(b.Side), Said: b.Reason, Hand: b.Hand, Joined: b.Joined}}
	if b.Reject != nil {
		s.reject = &view.Reject{Line: b.Reject.Line, Reason: b.Reject.Reason, Text: b.Reject.Text}
		return s, nil
	}
	for side, r := range b.Sides {
		if r != nil {
			s.Sides[side] = r.record()
		}
	}
	for _, f := range b.Fields {
		field := exception.Field{Agrees: f.Agrees, Difference: f.Difference}
		copy(field.Totals[:], f.Totals)
		s.Fields = append(s.Fields, field)
	}
	if b.Group != nil {
		s.Group = &exception.Group{Count: b.Group.Count}
		for side := range b.Group.Records {
			for i := range b.Group.Records[side] {
				s.Group.Records[side] = append(s.Group.Records[side], *b.Group.Records[side][i].record())
			}
		}
	}
	return s, nil
}

// view is how people see it, as a run's plan says.
func (s *seen) view(plan *sieve.Plan) view.Entry {
	if s.reject != nil {
		return rejectEntry(&plan.Definition, s.Side, *s.reject)
	}
	return entryOf(plan, &s.Entry)
}

// searchText is what a search for it looks through.
func (s *seen) searchText() string {
	if s.reject != nil {
		return rejectText(s.reject.Text)
	}
	return searchText(&s.Entry)
}

// keptAsShown reports whether a body is from before exceptions were kept as runs have found them: what people saw, a map.
func keptAsShown(body string) bool {
	return body == "" || body[0] == '{' || body[0]&0xe0 == 0xa0
}

// readShown reads such a body.
func readShown(body string, e *view.Entry) error {
	if body != "" && body[0] == '{' { // no map begins so in CBOR
		return json.Unmarshal([]byte(body), e)
	}
	return bodyReader.Unmarshal([]byte(body), e)
}
