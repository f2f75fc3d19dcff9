package cli

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"twinsieve/core/sieve"
	"twinsieve/service/view"
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

// TestReadCrosswalk reads the columns wherever they stand, and leaves out what the crosswalk has.
func TestReadCrosswalk(t *testing.T) {
	c := &view.Crosswalk{Columns: [2][]string{{"call", "day"}, {"Call", "Day"}}, Entries: []view.Acceptance{
		{Kind: "keys", Holds: true, Left: []string{"A", "1"}, Right: []string{"B", "1"}},
		{Kind: "keys", Holds: false, Left: []string{"C", "1"}, Right: []string{"D", "1"}},
		{Kind: "records", Holds: true, Records: &[2][]view.Record{}}}}
	file := t.TempDir() + "/crosswalk.csv"
	text := "note,right Day,left day,decision,left call,right Call\nx,1,1,same,A,B\nx,1,1,same,C,D\nx,1,1,not the same,A,B\nx,2,2,,E,\"F, G\"\nx,2,2,,E,\"F, G\"\n"
	if err := writeTest(file, text); err != nil {
		t.Fatal(err)
	}
	list, err := readCrosswalk(file, c)
	if err != nil || len(list) != 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	if got := fmt.Sprint(list[0].Accept, list[0].Pairs, list[1].Accept, list[1].Pairs); got != "true [{[C 1] [D 1] 0 } {[E 2] [F, G 2] 0 }] false [{[A 1] [B 1] 0 }]" {
		t.Errorf("read %s", got)
	}
	for text, want := range map[string]string{"": "EOF", "left call\n": `there is no column "left day"`, "left call,left day,right Call,right Day\na,b\n": "wrong number of fields"} {
		if err := writeTest(file, text); err != nil {
			t.Fatal(err)
		}
		if _, err := readCrosswalk(file, c); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%q: %v, want %q", text, err, want)
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

func writeTest(file, text string) error { return os.WriteFile(file, []byte(text), 0o644) }

func keyPartOf(p columnPair) sieve.KeyPart {
	return sieve.KeyPart{Columns: p.columns, Readings: p.readings}
}
