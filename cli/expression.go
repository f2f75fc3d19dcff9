package cli

import (
	"bytes"
	"encoding/csv"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/formats/textcode"
)

// Pairs of columns are given on the command line as
//
//	LEFT=RIGHT: item, item, …
//
// where =RIGHT may be left out when the columns are named alike, and the items are readings, or "blanks equal" for a key,
// or "as decimal", "within 0.05" and "at-least 0.9" for a compared field. A column name that holds = : or , stands in double
// quotes, and so does what follows a reading's name where it holds a comma.

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
	for _, item := range reading.Split(rest) {
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
	where                   [2]string
	repeats                 string
	currency                string
	carry                   string
	lookups                 []string

	before struct{ key, compare, amounts, lookups int } // how many the definition had that the options were added to
}

func (f *definitionFlags) add(cmd *cobra.Command) {
	flags := cmd.Flags()
	flags.StringArrayVarP(&f.keys, "key", "k", nil, "a pair of columns that must be equal: LEFT=RIGHT: readings")
	flags.StringArrayVarP(&f.compares, "compare", "c", nil, "a pair of columns that must agree: LEFT=RIGHT: as decimal, within 0.05")
	flags.StringArrayVar(&f.amounts, "amount", nil, "a pair of columns to balance, where not the compared decimals")
	oneOfVar(flags, &f.carry, "carry", "", []string{"open", "none"}, "carry forward unresolved records that are missing from the new files: open or none (default none)")
	flags.StringVar(&f.currency, "currency", "", "a pair of columns that say in which currency the amounts are; each is balanced apart")
	for _, side := range tray.Sides {
		flags.StringVar(&f.where[side], side.String()+"-where", "", "which "+side.String()+` records take part: an expression such as quay == "Tar Quay"`)
	}
	oneOfVar(flags, &f.repeats, "repeats", "", repeatRules, "what to do with repeated keys: "+strings.Join(repeatRules, ", ")+" (default pair)")
	flags.StringArrayVar(&f.lookups, "lookup", nil, "a lookup list for the reading of that name: NAME=FILE.csv, with two columns, code and replacement")
	explaining(cmd, f.explain)
}

func (f *definitionFlags) given() bool {
	return len(f.keys)+len(f.compares)+len(f.amounts)+len(f.lookups) > 0 || f.where != [2]string{} || f.repeats != "" || f.currency+f.carry != ""
}

// files are the files that the options name.
func (f *definitionFlags) files() (list []string) {
	for _, text := range f.lookups {
		if _, file, ok := strings.Cut(text, "="); ok {
			list = append(list, file)
		}
	}
	return list
}

// apply adds what the options say to a definition.
func (f *definitionFlags) apply(d *sieve.Definition) error {
	f.before.key, f.before.compare, f.before.amounts, f.before.lookups = len(d.Key), len(d.Compare), len(d.Amounts), len(d.Lookups)
	for _, text := range f.keys {
		p, err := parsePair("--key", text, "blanks")
		if err != nil {
			return err
		}
		d.Key = append(d.Key, sieve.KeyPart{Columns: p.columns, Readings: p.readings, Blanks: p.options["blanks"]})
	}
	for _, text := range f.compares {
		p, err := parsePair("--compare", text, "as", "within", "at-least")
		if err != nil {
			return err
		}
		d.Compare = append(d.Compare, sieve.Field{Columns: p.columns, Readings: p.readings, As: p.options["as"], Within: p.options["within"], AtLeast: p.options["at-least"]})
	}
	for _, text := range f.amounts {
		p, err := parsePair("--amount", text)
		if err != nil {
			return err
		}
		d.Amounts = append(d.Amounts, sieve.Amount{Columns: p.columns, Readings: p.readings})
	}
	if f.carry != "" {
		d.Carry = f.carry == "open"
	}
	if f.currency != "" {
		p, err := parsePair("--currency", f.currency)
		if err != nil {
			return err
		}
		d.Currency = &sieve.Currency{Columns: p.columns, Readings: p.readings}
	}
	for side, into := range []*string{&d.Where.Left, &d.Where.Right} {
		if f.where[side] != "" {
			*into = f.where[side]
		}
	}
	if f.repeats != "" {
		d.Repeats = f.repeats
	}
	for _, text := range f.lookups {
		name, file, ok := strings.Cut(text, "=")
		if !ok || name == "" || file == "" {
			return wrongRequest("--lookup %q does not name a list and a file; write it as NAME=FILE.csv", text)
		}
		list, err := readLookup(name, file)
		if err != nil {
			return err
		}
		d.Lookups = append(d.Lookups, *list)
	}
	return nil
}

// readLookup reads a lookup list from a CSV file of two columns without a heading.
func readLookup(name, file string) (*reading.List, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return nil, broken("the lookup list cannot be read: %s", err)
	}
	if text, err = textcode.List(text); err != nil {
		return nil, wrongRequest("%s: %s", file, err)
	}
	r := csv.NewReader(bytes.NewReader(text))
	r.FieldsPerRecord = 2
	list := &reading.List{Name: name}
	lines := map[string]int{}
	for {
		row, err := r.Read()
		if err == io.EOF {
			return list, nil
		}
		if err != nil {
			return nil, wrongRequest("%s: %s; a lookup list has two columns, a code and what stands for it", file, err)
		}
		line, _ := r.FieldPos(0)
		if before, ok := lines[row[0]]; ok {
			return nil, wrongRequest("%s: line %d: the code %q stands on line %d already; leave one of them", file, line, row[0], before)
		}
		lines[row[0]] = line
		list.Pairs = append(list.Pairs, [2]string{row[0], row[1]})
	}
}
