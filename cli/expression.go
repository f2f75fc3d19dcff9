package cli

import (
	"strings"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
)

// Pairs of columns are given on the command line as
//
//	LEFT=RIGHT: item, item, …
//
// where =RIGHT may be left out when the columns are named alike, and the items are readings, or "blanks equal" for a key,
// or "as decimal" and "within 0.05" for a compared field. A column name that holds = : or , stands in double quotes.

// columnPair is such a pair, taken apart.
type columnPair struct {
	columns  sieve.Columns
	readings []reading.Reading
	options  map[string]string
}

// parsePair reads a pair. options are the words, besides readings, that may begin an item.
func parsePair(option, text string, options ...string) (columnPair, error) {
	p := columnPair{options: map[string]string{}}
	left, rest := takeName(text, "=:")
	p.columns.Left = left
	if strings.HasPrefix(rest, "=") {
		p.columns.Right, rest = takeName(rest[1:], ":")
	}
	if p.columns.Left == "" {
		return p, wrongRequest("%s %q names no column; write it as LEFT=RIGHT, or LEFT where both are named alike", option, text)
	}
	rest = strings.TrimSpace(strings.TrimPrefix(rest, ":"))
	if rest == "" {
		return p, nil
	}
items:
	for _, item := range strings.Split(rest, ",") {
		item = strings.TrimSpace(item)
		for _, word := range options {
			if value, ok := strings.CutPrefix(item, word+" "); ok {
				p.options[word] = strings.TrimSpace(value)
				continue items
			}
		}
		r, err := reading.Parse(item)
		if err != nil {
			return p, wrongRequest("%s %q: %s", option, text, err)
		}
		p.readings = append(p.readings, r)
	}
	return p, nil
}

// takeName takes a column's name, quoted or up to one of the ends.
func takeName(text, ends string) (name, rest string) {
	text = strings.TrimSpace(text)
	if strings.HasPrefix(text, `"`) {
		if end := strings.Index(text[1:], `"`); end >= 0 {
			return text[1 : end+1], strings.TrimSpace(text[end+2:])
		}
	}
	if at := strings.IndexAny(text, ends); at >= 0 {
		return strings.TrimSpace(text[:at]), text[at:]
	}
	return text, ""
}

// definitionFlags are the options that describe a sieve on the command line.
type definitionFlags struct {
	keys, compares, amounts []string
}

// apply adds what the options say to a definition.
func (f *definitionFlags) apply(d *sieve.Definition) error {
	for _, text := range f.keys {
		p, err := parsePair("--key", text, "blanks")
		if err != nil {
			return err
		}
		d.Key = append(d.Key, sieve.KeyPart{Columns: p.columns, Readings: p.readings, Blanks: p.options["blanks"]})
	}
	for _, text := range f.compares {
		p, err := parsePair("--compare", text, "as", "within")
		if err != nil {
			return err
		}
		d.Compare = append(d.Compare, sieve.Field{Columns: p.columns, Readings: p.readings, As: p.options["as"], Within: p.options["within"]})
	}
	for _, text := range f.amounts {
		p, err := parsePair("--amount", text)
		if err != nil {
			return err
		}
		d.Amounts = append(d.Amounts, sieve.Amount{Columns: p.columns, Readings: p.readings})
	}
	return nil
}
