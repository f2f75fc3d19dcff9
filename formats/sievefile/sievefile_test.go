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
		"sieve: x\nleft: a\nright: b\nkeys:\n  - left: c\n":          `line 4, column 1: the word "keys" is not one of a sieve file`,
		"sieve: x\nkey:\n  - left: c\n    reading: [trim]\n":         `line 4, column 5: the word "reading" is not one`,
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
