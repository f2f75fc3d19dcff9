package sievefile_test

import (
	"reflect"
	"strings"
	"testing"

	"twinsieve/demo"
	"twinsieve/formats/sievefile"
)

func TestDemoThereAndBack(t *testing.T) {
	d, err := sievefile.Read(demo.Billing)
	if err != nil {
		t.Fatal(err)
	}
	if d.Name != "Berth billing" || len(d.Key) != 3 || d.Key[1].Readings[1].String() != "right date DD.MM.YYYY" || d.Compare[0].Within != "0.05" {
		t.Errorf("read %+v", d)
	}
	text, err := sievefile.Write(d)
	if err != nil {
		t.Fatal(err)
	}
	again, err := sievefile.Read(text)
	if err != nil || !reflect.DeepEqual(again, d) {
		t.Errorf("written and read again: %v\n%s\n%+v", err, text, again)
	}
}

func TestErrorsNameTheirPlace(t *testing.T) {
	for in, want := range map[string]string{
		"sieve: x\nleft: a\nright: b\nkeys:\n  - left: c\n":          `line 4, column 1: a sieve file has no word "keys"; did you mean "key"?`,
		"sieve: x\nkey:\n  - left: c\n    reading: [trim]\n":         `line 4, column 5: a sieve file has no word "reading"; did you mean "readings"?`,
		"sieve: x\nkey:\n  - left: c\n    readings: [trim, upper]\n": `line 4, column 22: there is no reading "upper"; the readings are trim, `,
		"sieve: x\nkey:\n  - left: c\n    readings: [date DD.MM]\n":  `line 4, column 16: the date layout "DD.MM" lacks a year`,
		"sieve: x\nkey: [\n":    `line 2, column 6: `,
		"left: a\n":             `the sieve has no name`,
		"sieve: x\nkey: soon\n": `line 2, column 6: `,
	} {
		_, err := sievefile.Read([]byte(in))
		if err == nil || !strings.HasPrefix(err.Error(), want) {
			t.Errorf("%q: error %v, want %s", in, err, want)
		}
	}
}

// TestAllWords writes a sieve with everything in it, and reads it again.
func TestAllWords(t *testing.T) {
	text := `sieve: Settled calls
left: log
right: bills
where:
  left: quay == "Tar Quay"
key:
  - left: call
    right: Call
    readings: [plain-letters, 'drop-ending ", Marrowick"', lookup codes, 'capture ^([A-Z]+)-0*([0-9]+)$']
  - left: day
    readings: [date DD.MM.YYYY or YYYY-MM-DD, left time D/M/YYYY hh:mm in Europe/Oslo]
    blanks: equal
compare:
  - left: fee
    as: decimal
    within: 0.05 or 2%
  - left: ship
    as: similar
    atLeast: "0.9"
repeats: totals
lookups:
  - name: codes
    pairs:
      - [PILOT, PIL]
      - ["007", "7"]
`
	d, err := sievefile.Read([]byte(text))
	if err != nil {
		t.Fatal(err)
	}
	if d.Where.Left != `quay == "Tar Quay"` || d.Key[0].Readings[1].Argument != ", Marrowick" || d.Repeats != "totals" || d.Lookups[0].Pairs[1] != [2]string{"007", "7"} || d.Compare[1].AtLeast != "0.9" {
		t.Errorf("read %+v", d)
	}
	written, err := sievefile.Write(d)
	if err != nil {
		t.Fatal(err)
	}
	again, err := sievefile.Read(written)
	if err != nil || !reflect.DeepEqual(again, d) {
		t.Errorf("written and read again: %v\n%s\n%+v", err, written, again)
	}
	if strings.Contains(string(demo.Billing), "where") {
		t.Error("the demo's sieve has a filter")
	}
	plain, err := sievefile.Read(demo.Billing)
	if err != nil {
		t.Fatal(err)
	}
	if written, err = sievefile.Write(plain); err != nil || strings.Contains(string(written), "where") || strings.Contains(string(written), "lookups") {
		t.Errorf("what a sieve does not have is written, too: %v\n%s", err, written)
	}
}
