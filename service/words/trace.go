package words

import (
	"fmt"
	"strings"

	"golang.org/x/text/language"
	"golang.org/x/text/message"

	"twinsieve/core/lookalike"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/sieve"
	"twinsieve/core/similar"
	"twinsieve/core/trace"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

var numbers = message.NewPrinter(language.English)

// rules are the rules that decide about trays.
var rules = [tray.Count]string{
	tray.Matched:   "paired, and every compared field agrees",
	tray.Differing: "paired, and at least one compared field does not agree",
	tray.Missing:   "a left record whose key no right record has is missing",
	tray.Orphaned:  "a right record whose key no left record has is orphaned",
	tray.Surplus:   "the key is on both sides, but this side has more records of it than can be paired one to one",
	tray.Unkeyed:   "a record with a key part that is blank or cannot be read has no key, and pairs with nothing, not even with another blank",
	tray.Excluded:  "a record that its side's filter leaves out, or for which it cannot be decided, takes no part",
}

// Rule is the rule that put a record into its tray.
func Rule(t tray.Tray) string { return rules[t] }

// Source is where a side's records came from.
type Source struct {
	Name     string // of the file, table or query
	Snapshot int    // 0: none
}

// Place says where a record stands: "record 17 of service-log, line 18 of service-log.csv, snapshot 1".
// One that a run carries in: "a record of service-log that is carried from run 1, line 18 of its source".
func Place(set string, from Source, number uint32, at record.Origin) string {
	line := at.Line
	if at.Run > 0 {
		text := fmt.Sprintf("a record of %s that is carried from run %d", set, at.Run)
		if line > 0 {
			text += numbers.Sprintf(", line %d of its source", line)
		}
		return text
	}
	text := numbers.Sprintf("record %d of %s", number+1, set)
	if line > 0 {
		text += numbers.Sprintf(", line %d of %s", line, from.Name)
	} else if from.Name != "" {
		text += " from " + from.Name
	}
	if from.Snapshot > 0 {
		text += fmt.Sprintf(", snapshot %d", from.Snapshot)
	}
	return text
}

// Way is the way of a record, in lines.
type Way struct {
	Place  string   `json:"place" description:"Where the record stands."`
	Parts  []string `json:"parts" nullable:"false" description:"What each reading made of each part of its key."`
	Filter string   `json:"filter" description:"Which filter it met, and what that said."`
	Alike  string   `json:"alike" description:"Who else carries its key."`
	Why    string   `json:"why" description:"Its tray, and why."`
	Rule   string   `json:"rule" description:"The rule that decided."`
	Looks  []string `json:"looks" nullable:"false" description:"Where values that look alike differ, the characters named."`
	Near   []string `json:"near" nullable:"false" description:"The nearest keys on the other side, and what differs."`
}

// Lines are the way as a short text.
func (w *Way) Lines() []string {
	lines := []string{w.Place}
	for _, p := range w.Parts {
		lines = append(lines, "  "+p)
	}
	lines = append(lines, "  "+w.Filter, "  "+w.Alike, "  "+w.Why, "  rule: "+w.Rule)
	for _, l := range w.Looks {
		lines = append(lines, "  "+l)
	}
	if len(w.Near) > 0 {
		lines = append(lines, "  nearest on the other side:")
	}
	for _, n := range w.Near {
		lines = append(lines, "    "+n)
	}
	return lines
}

// Trace puts the way of a record into words. why is why it is in its tray.
func Trace(plan *sieve.Plan, t *trace.Record, sources [2]Source, why string) *Way {
	names := plan.Definition.SideNames()
	w := &Way{Place: Place(names[t.Side], sources[t.Side], t.Record.Number, t.Record.Origin), Looks: []string{}, Near: []string{}}
	for _, p := range t.Parts {
		w.Parts = append(w.Parts, part(p))
	}
	w.Filter = "no filter"
	if f := t.Filter; f != nil {
		switch {
		case f.Failed != "":
			w.Filter = fmt.Sprintf("filter %s: cannot be decided, %s", f.Text, f.Failed)
		case f.Wants:
			w.Filter = fmt.Sprintf("filter %s: takes part", f.Text)
		default:
			w.Filter = fmt.Sprintf("filter %s: left out", f.Text)
		}
	}
	w.Alike = "it has no key"
	if t.Entry.Tray == tray.Excluded {
		w.Alike = "its key is not looked for"
	} else if t.Alike.Count != [2]int64{} {
		w.Alike = numbers.Sprintf("its key is carried by %s of %s (%s) and %s of %s (%s)", summary.Count(t.Alike.Count[0], "record"), names[0], listed(t, tray.Left), summary.Count(t.Alike.Count[1], "record"), names[1], listed(t, tray.Right))
		w.Alike = strings.ReplaceAll(w.Alike, " ()", "")
	}
	w.Why = fmt.Sprintf("tray %s: %s", t.Entry.Tray, why)
	if t.Entry.Tray.Paired() && t.Entry.Group == nil {
		o := t.Side.Other()
		r := t.Entry.Sides[o]
		w.Why = fmt.Sprintf("tray %s, paired with %s: %s", t.Entry.Tray, Place(names[o], sources[o], r.Number, r.Origin), why)
	}
	if t.Entry.Hand > 0 {
		o := t.Side.Other()
		var with []string
		for _, r := range t.Entry.Group.Records[o] {
			with = append(with, numbers.Sprintf("%d", r.Number+1))
		}
		w.Why = fmt.Sprintf("tray %s, with record %s of %s: %s", t.Entry.Tray, strings.Join(with, ", "), names[o], why)
	}
	w.Rule = Rule(t.Entry.Tray)
	if t.Alike.Count[0] > 1 || t.Alike.Count[1] > 1 {
		switch {
		case t.Entry.Tray.Paired() && t.Entry.Group != nil:
			w.Rule += "; all records of a key are one group on each side, compared by their totals"
		case t.Entry.Tray.Paired() || t.Entry.Tray == tray.Surplus:
			w.Rule += "; within a key the pairs are those with most matched pairs, then most agreeing fields, equal key texts, least differences"
		}
	}
	if t.Entry.Tray.Paired() && t.Entry.Group == nil {
		for _, f := range plan.Fields {
			v := plan.Values[f.Value]
			var read [2]string
			for s, r := range t.Entry.Sides {
				read[s] = string(v.Chain[s].Reader().Cell([]byte(r.Cells[v.Column[s]].Content())).Text)
			}
			if text := look(plan.Columns[0][v.Column[0]]+" and "+plan.Columns[1][v.Column[1]], read[0], read[1]); text != "" {
				w.Looks = append(w.Looks, text)
			}
		}
	}
	for _, n := range t.Near {
		w.Near = append(w.Near, nearest(plan, t, n, names, sources))
	}
	return w
}

// listed names the records of a side that carry the key.
func listed(t *trace.Record, s tray.Side) string {
	var parts []string
	for _, n := range t.Alike.Numbers[s] {
		if s == t.Side && n == t.Record.Number {
			parts = append(parts, "this one")
		} else {
			parts = append(parts, numbers.Sprintf("%d", n+1))
		}
	}
	if more := t.Alike.Count[s] - int64(len(t.Alike.Numbers[s])); more > 0 {
		parts = append(parts, numbers.Sprintf("%d more", more))
	}
	return strings.Join(parts, ", ")
}

func part(p trace.Part) string {
	text := fmt.Sprintf("%s is %q", p.Column, p.Cell.Text)
	if p.Value.State == reading.Blank {
		text = p.Column + " is blank"
		if p.Cell.Text != "" {
			text += fmt.Sprintf(" (%q is a blank marker)", p.Cell.Text)
		}
	}
	before := p.Cell.Text
	for _, step := range p.Taken {
		if step.Value.State == reading.Text && string(step.Value.Text) == before {
			text += ", " + step.Reading + " leaves it"
			continue
		}
		text += fmt.Sprintf(", %s makes it %s", step.Reading, state(step.Value))
		before = string(step.Value.Text)
	}
	return strings.ReplaceAll(text, "makes it cannot be read as stated", "cannot read it")
}

// look names the character at which two values that look the same differ.
func look(what, left, right string) string {
	p, ok := lookalike.Differ(left, right)
	if !ok || !p.Look {
		return ""
	}
	return fmt.Sprintf("%s look the same and differ at %s", what, p)
}

// nearest says where a near key stands and what differs in it.
func nearest(plan *sieve.Plan, t *trace.Record, n trace.Near, names [2]string, sources [2]Source) string {
	o := t.Side.Other()
	text := Place(names[o], sources[o], n.Record.Number, n.Record.Origin) + ", " + n.Tray.String()
	var parts []string
	for p, theirs := range n.Parts {
		if theirs.Equal {
			continue
		}
		mine := t.Parts[p]
		says := fmt.Sprintf("%s is %s, here %s", theirs.Column, state(theirs.Value), state(mine.Value))
		if mine.Value.State == reading.Text && theirs.Value.State == reading.Text {
			l, r := string(mine.Value.Text), string(theirs.Value.Text)
			if t.Side == tray.Right {
				l, r = r, l
			}
			if place, ok := lookalike.Differ(l, r); ok && place.Look {
				says += ", which look the same and differ at " + place.String()
			} else if ok && similar.Distance([]rune(l), []rune(r), 2) <= 2 {
				says += fmt.Sprintf(" (from character %d on)", place.At+1)
			}
		}
		parts = append(parts, says)
	}
	if len(parts) == 0 {
		return text + ": the same key"
	}
	return text + ": " + strings.Join(parts, "; ")
}
