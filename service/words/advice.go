package words

import (
	"fmt"
	"strings"

	"twinsieve/core/advise"
	"twinsieve/core/comparison"
	"twinsieve/core/sieve"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

// KeyParts are the parts of a proposed key as a definition has them.
func KeyParts(a *advise.Advice, pairs []advise.Pair) []sieve.KeyPart {
	var parts []sieve.KeyPart
	for _, p := range pairs {
		l, r := a.Columns[0][p.Columns[0]].Name, a.Columns[1][p.Columns[1]].Name
		if r == l {
			r = ""
		}
		parts = append(parts, sieve.KeyPart{Columns: sieve.Columns{Left: l, Right: r}, Readings: p.Readings})
	}
	return parts
}

// KeyAdvice says what a proposed key pairs: the relation, on which side it is optional, and how unique it is.
func KeyAdvice(k *advise.Key, sets [2]string) string {
	text := fmt.Sprintf("%s; %s on both sides, of %s and %s", comparison.Related(k.Most), numbers.Sprintf("%d keys are", k.Shared), numbers.Sprintf("%d", k.Distinct[0]), numbers.Sprintf("%d", k.Distinct[1]))
	var optional []string
	for _, s := range tray.Sides {
		if k.Distinct[s] > k.Shared {
			optional = append(optional, numbers.Sprintf("%d of %s", k.Distinct[s]-k.Shared, sets[s]))
		}
	}
	if len(optional) > 0 {
		text += "; without a partner: " + strings.Join(optional, ", ")
	}
	for _, s := range tray.Sides {
		if k.Unique(s) {
			text += "; unique in " + sets[s]
		} else {
			text += numbers.Sprintf("; %d repeat in %s", k.Repeated[s], sets[s])
		}
	}
	return text
}

// agreesSeldom is how often paired records must agree elsewhere, beyond chance, for a key not to be warned of.
const agreesSeldom = 0.3

// KeyWarnings say what to beware of with a proposed key.
func KeyWarnings(a *advise.Advice, k *advise.Key, sets [2]string) []string {
	warnings := []string{}
	for _, p := range k.Parts {
		for s, at := range p.Columns {
			if c := a.Columns[s][at]; len(c.Layouts) > 0 {
				warnings = append(warnings, fmt.Sprintf("the days of %s can be read as %s: %s is proposed, and you decide", c.Name, strings.Join(c.Layouts, " or as "), strings.TrimPrefix(c.Type, "date ")))
			}
		}
	}
	switch comparison.Related(k.Most) {
	case comparison.ManyToMany:
		warnings = append(warnings, numbers.Sprintf("it multiplies: keys repeat on both sides, and %d and %d records with a partner make %d rows", k.Partner[0], k.Partner[1], k.Product))
	case comparison.OneToMany:
		warnings = append(warnings, numbers.Sprintf("records of %s come up more than once, up to %d times: their amounts must not be added up over the rows", sets[0], k.Most[1]))
	case comparison.ManyToOne:
		warnings = append(warnings, numbers.Sprintf("records of %s come up more than once, up to %d times: their amounts must not be added up over the rows", sets[1], k.Most[0]))
	}
	if k.Agree >= 0 && k.Agree < agreesSeldom {
		warnings = append(warnings, "what it pairs hardly agrees in any other column: the values may be the same by chance, as row numbers are")
	}
	for _, s := range tray.Sides {
		if k.Unkeyed[s] > 0 {
			warnings = append(warnings, fmt.Sprintf("%s of %s would have no key, for a part is blank", summary.Count(k.Unkeyed[s], "record"), sets[s]))
		}
	}
	return warnings
}

// Agreeing says how far paired records agree elsewhere.
func Agreeing(k *advise.Key) string {
	if k.Agree < 0 {
		return "there is no other column to judge by"
	}
	return fmt.Sprintf("paired records agree elsewhere in %.0f of 100 beyond chance", 100*k.Agree)
}
