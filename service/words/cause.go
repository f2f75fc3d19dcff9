package words

import (
	"fmt"
	"strings"

	"twinsieve/core/diagnose"
	"twinsieve/core/reading"
	"twinsieve/core/sieve"
)

// conditions are readings as what would have to be.
var conditions = map[string]string{
	"trim": "outer spaces were dropped", "single-spaces": "runs of spaces counted as one", "drop-invisible": "invisible characters were dropped",
	"plain-marks": "typographic quotes and dashes were read as plain ones", "plain-letters": "letters of another script that look Latin were read as Latin",
	"normal-form": "accents were written in one normal form", "ignore-case": "letter case were ignored", "drop-accents": "accents were dropped",
	"drop-leading-zeros": "leading zeros were dropped", "drop-zeros-in-digit-runs": "zeros that begin a run of digits were dropped",
	"letters-and-digits": "only letters and digits counted",
}

// CauseID names a cause of a diagnosis within it, such as "ignore-case@1": what it is, and the key part, counted from 1.
func CauseID(c *diagnose.Cause) string {
	what := string(c.Kind)
	if c.Kind == diagnose.Loosened {
		what = c.Changes[0].Readings[0].Name
		if s := c.Changes[0].Readings[0].Side; s != nil && (what == "drop-beginning" || what == "drop-ending") {
			what = s.String() + "-" + what
		}
	}
	if c.Kind == diagnose.Several {
		var parts []string
		for _, change := range c.Changes {
			parts = append(parts, fmt.Sprintf("%s@%d", change.Readings[0].Name, change.Part+1))
		}
		return strings.Join(parts, "+")
	}
	if c.Part < 0 {
		return what
	}
	return fmt.Sprintf("%s@%d", what, c.Part+1)
}

// Cause says why the records of a cause found no partner, after their number: "would pair if letter case were ignored in
// call_no = Voyage Call". one is whether it is said of one record only.
func Cause(d *sieve.Definition, c *diagnose.Cause, one bool) string {
	verb := func(singular, plural string) string {
		if one {
			return singular
		}
		return plural
	}
	name, column := "", [2]string{}
	if c.Part >= 0 {
		name = d.Key[c.Part].Columns.String()
		column[0], column[1] = d.Key[c.Part].Columns.On()
	}
	where := name
	if c.Records[0] == 0 && c.Part >= 0 {
		where = column[1]
	} else if c.Records[1] == 0 && c.Part >= 0 {
		where = column[0]
	}
	switch c.Kind {
	case diagnose.Filter:
		sides := [2]string{d.Right, d.Left}
		text := fmt.Sprintf("would pair, but the filter of %s left the partner out", sides[0])
		if c.Records[0] == 0 {
			text = fmt.Sprintf("would pair, but the filter of %s left the partner out", sides[1])
		} else if c.Records[1] > 0 {
			text = "would pair, but the other side's filter left the partner out"
		}
		return text
	case diagnose.Loosened, diagnose.Several:
		var parts []string
		for _, change := range c.Changes {
			parts = append(parts, condition(change)+" in "+d.Key[change.Part].Columns.String())
		}
		return "would pair if " + join(parts)
	case diagnose.BlanksEqual:
		return "would pair if two blanks of " + name + " were equal"
	case diagnose.DayOff:
		return verb("is", "are") + " one day apart from one without a partner, in " + name
	case diagnose.DayAndMonth:
		return verb("has", "have") + " day and month exchanged in " + name + ", held against one without a partner"
	case diagnose.Exchanged:
		return verb("has", "have") + " two neighbouring characters exchanged in " + name + ", held against one without a partner"
	case diagnose.OneCharacter:
		return verb("has", "have") + " one character wrong, missing or too much in " + name + ", held against one without a partner"
	case diagnose.OtherPart:
		return verb("agrees", "agree") + " with one without a partner in all but " + name
	case diagnose.Blank:
		return verb("has", "have") + " no key: " + where + " is blank"
	case diagnose.Emptied:
		return verb("has", "have") + " no key: " + where + " is blank after its readings"
	case diagnose.Unreadable:
		return verb("has", "have") + " no key: " + where + " cannot be read as stated"
	}
	return verb("has", "have") + " nothing like " + verb("it", "them") + " on the other side"
}

func condition(c diagnose.Change) string {
	r := c.Readings[0]
	if text, ok := conditions[r.Name]; ok {
		return text
	}
	var parts []string
	for _, r := range c.Readings {
		side := ""
		if r.Side != nil {
			side = " on the " + r.Side.String()
		}
		parts = append(parts, Reading(r)+side)
	}
	switch r.Name {
	case "drop-beginning", "drop-ending":
		return "it were read " + join(parts)
	}
	return "values were read " + join(parts)
}

// Remedy says what would be changed, in the text form of readings: "call_no = Voyage Call: ignore-case". Empty where a reading
// is no remedy.
func Remedy(d *sieve.Definition, c *diagnose.Cause) string {
	var parts []string
	for _, change := range c.Changes {
		var texts []string
		for _, r := range change.Readings {
			texts = append(texts, r.String())
		}
		text := d.Key[change.Part].Columns.String() + ": " + strings.Join(texts, ", ")
		switch {
		case change.Replace != "":
			text += " in place of " + change.Replace
		case change.Front && len(d.Key[change.Part].Readings) > 0:
			text += " in front"
		}
		parts = append(parts, text)
	}
	if c.Kind == diagnose.BlanksEqual {
		parts = append(parts, d.Key[c.Part].Columns.String()+": blanks equal")
	}
	return strings.Join(parts, "; ")
}

// state says what state a value is in.
func state(v reading.Value) string {
	switch v.State {
	case reading.Blank:
		return "blank"
	case reading.Emptied:
		return "blank, for nothing is left"
	case reading.Unreadable:
		return "cannot be read as stated"
	}
	return fmt.Sprintf("%q", v.Text)
}
