package cli

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/sieve"
)

func TestChosen(t *testing.T) {
	for text, want := range map[string]string{"all": "[0 1 2 3 4]", "1": "[0]", "2-4": "[1 2 3]", "5, 1-2,2": "[0 1 4]"} {
		if got, err := chosen(text, 5); err != nil || fmt.Sprint(got) != want {
			t.Errorf("%s: %v, %v, want %s", text, got, err, want)
		}
	}
	for _, text := range []string{"", "0", "6", "3-2", "1-9", "x", "1-", "-1"} {
		if got, err := chosen(text, 5); err == nil || !strings.Contains(err.Error(), "there are 1 to 5") {
			t.Errorf("%q: %v, %v", text, got, err)
		}
	}
}

// TestPairText: what advice prints as an option is read back as the same key part.
func TestPairText(t *testing.T) {
	for _, text := range []string{"call", "call=Voyage Call", "call=Voyage Call: trim, drop-ending \", Marrowick\", date DD.MM.YYYY or YYYY-MM-DD", "call: left lookup service codes"} {
		p, err := parsePair("--key", text)
		if err != nil {
			t.Fatal(err)
		}
		part := keyPartOf(p)
		if got := pairText(part); got != text {
			t.Errorf("%s is printed as %s", text, got)
		}
	}
}

func keyPartOf(p columnPair) sieve.KeyPart {
	return sieve.KeyPart{Columns: p.columns, Readings: p.readings}
}
