// Package words says things in plain words: what a sieve pairs, why records found no partner, and the way of a record. The
// command line, the interface and the console show the same words.
package words

import (
	"fmt"
	"strings"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
)

// phrases are readings as parts of a sentence; %s is what stands after the name.
var phrases = map[string]string{
	"trim": "without outer spaces", "single-spaces": "runs of spaces as one", "drop-invisible": "without invisible characters",
	"plain-marks": "with plain quotes and dashes", "plain-letters": "look-alike letters as Latin ones", "ignore-case": "in any letter case",
	"normal-form": "in the normal form %s", "drop-accents": "without accents", "drop-leading-zeros": "without leading zeros",
	"drop-zeros-in-digit-runs": "without zeros that begin a run of digits", "digits-only": "only its digits",
	"letters-and-digits": "only its letters and digits", "first": "its first %s characters", "last": "its last %s characters",
	"drop-beginning": "without %q at its beginning", "drop-ending": "without %q at its end", "capture": "what %q takes of it",
	"number": "as a number", "negate": "with its sign turned", "date": "as a date written %s", "time": "as a moment written %s",
	"to-day": "to its day", "to-month": "to its month", "to-year": "to its year", "yes-no": "as yes or no", "lookup": "looked up in %q",
}

// layouts names what stands in place of a layout.
var layouts = strings.NewReplacer("serial 1904", "as a day number from 1904", "serial", "as a day number")

// Readings says how a side's value is read, such as "without outer spaces, in any letter case"; empty where it is taken as it
// is.
func Readings(list []reading.Reading, s tray.Side) string {
	var parts []string
	for _, r := range list {
		if r.Side == nil || *r.Side == s {
			parts = append(parts, Reading(r))
		}
	}
	return strings.Join(parts, ", ")
}

// Reading says what a reading does.
func Reading(r reading.Reading) string {
	phrase := phrases[r.Name]
	switch {
	case r.Name == "date" || r.Name == "time":
		return fmt.Sprintf(phrase, layouts.Replace(r.Argument))
	case strings.Contains(phrase, "%"):
		return fmt.Sprintf(phrase, r.Argument)
	case r.Argument == "":
		return phrase
	case r.Name == "number":
		return phrase + " written with " + strings.ReplaceAll(r.Argument, " ", ", ")
	}
	return phrase + " " + r.Argument
}

// Sieve says in a few sentences what a definition pairs with what, and when pairs agree.
func Sieve(d *sieve.Definition) string {
	names := d.SideNames()
	left, right := names[0], names[1]
	var parts []string
	for _, k := range d.Key {
		text := pairOf(k.Columns, k.Readings, "is")
		if k.Blanks == "equal" {
			text += " (two blanks are equal)"
		}
		parts = append(parts, text)
	}
	out := fmt.Sprintf("A record of %s and one of %s are the same when %s.", left, right, join(parts))
	if d.Where.Left != "" || d.Where.Right != "" {
		var sides []string
		for s, text := range [2]string{d.Where.Left, d.Where.Right} {
			if text != "" {
				sides = append(sides, fmt.Sprintf("of %s only records take part for which %s", [2]string{left, right}[s], text))
			}
		}
		text := join(sides)
		out += " " + strings.ToUpper(text[:1]) + text[1:] + "."
	}
	if len(d.Compare) > 0 {
		var fields []string
		for _, f := range d.Compare {
			fields = append(fields, fieldOf(f))
		}
		out += " They agree when " + join(fields) + "."
	} else {
		out += " Nothing else of them is compared."
	}
	if d.Currency != nil {
		out += " Amounts are balanced apart for each currency in " + pairOf(d.Currency.Columns, d.Currency.Readings, "and") + "."
	}
	if d.Carry {
		out += " A run takes in the records of earlier runs' exceptions that are not settled, where its snapshots no longer have them."
	}
	switch d.Repeats {
	case "totals":
		out += " Where a key repeats, its records are one group on each side, compared by their totals."
	case "refuse-left", "refuse-right", "refuse-both":
		sides := map[string]string{"refuse-left": left, "refuse-right": right, "refuse-both": left + " or " + right}
		out += " No key may repeat in " + sides[d.Repeats] + "."
	default:
		out += " Where a key repeats, its records are paired one to one, the best fitting first; who is left over is surplus."
	}
	return out
}

// pairOf says that two columns are equal as they are read.
func pairOf(c sieve.Columns, list []reading.Reading, verb string) string {
	l, r := c.On()
	how := [2]string{Readings(list, tray.Left), Readings(list, tray.Right)}
	switch {
	case how[0] == how[1] && how[0] == "":
		return fmt.Sprintf("%s %s %s", l, verb, r)
	case how[0] == how[1]:
		return fmt.Sprintf("%s %s %s (both %s)", l, verb, r, how[0])
	}
	side := func(column, how string) string {
		if how == "" {
			return column
		}
		return fmt.Sprintf("%s (%s)", column, how)
	}
	return fmt.Sprintf("%s %s %s", side(l, how[0]), verb, side(r, how[1]))
}

func fieldOf(f sieve.Field) string {
	text := pairOf(f.Columns, f.Readings, "is")
	switch f.As {
	case "decimal", "time":
		text += map[string]string{"decimal": " as a number", "time": " as a moment"}[f.As]
		if f.Within != "" {
			text += ", give or take " + f.Within
		}
	case "date":
		text += " as a date"
		if f.Within != "" {
			text += ", give or take " + strings.TrimSuffix(strings.TrimSuffix(f.Within, "s"), " day") + " days"
		}
	case "boolean":
		text += " as yes or no"
	case "similar":
		text = strings.Replace(text, " is ", " is like ", 1) + ", to " + f.AtLeast + " at least"
	}
	return text
}

// join lists things with commas and a last "and".
func join(list []string) string {
	switch len(list) {
	case 0:
		return ""
	case 1:
		return list[0]
	}
	sep := ", "
	for _, p := range list {
		if strings.Contains(p, ", ") {
			sep = "; "
		}
	}
	last := " and "
	if sep == "; " {
		last = "; and "
	}
	return strings.Join(list[:len(list)-1], sep) + last + list[len(list)-1]
}
