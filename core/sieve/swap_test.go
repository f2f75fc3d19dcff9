package sieve_test

import (
	"reflect"
	"testing"

	"twinsieve/core/reading"
	"twinsieve/core/sieve"
)

// TestSwapped turns a definition that has everything, part by part, and back.
func TestSwapped(t *testing.T) {
	d := sieve.Definition{Name: "Deposits", Left: "office", Right: "bank", Where: sieve.Where{Left: `quay == "Tar Quay"`, Right: "zero(Sum) > 0"}, Repeats: "refuse-left", Carry: true,
		Key:      []sieve.KeyPart{{Columns: sieve.Columns{Left: "slip", Right: "Slip No"}, Readings: reading.MustParse("trim", "left date YYYY-MM-DD", "right date DD.MM.YYYY"), Blanks: "equal"}},
		Compare:  []sieve.Field{{Columns: sieve.Columns{Left: "amount", Right: "Sum"}, As: "decimal", Within: "0.05"}},
		Amounts:  []sieve.Amount{{Columns: sieve.Columns{Left: "fee", Right: "Fee"}, Readings: reading.MustParse("right number comma")}},
		Currency: &sieve.Currency{Columns: sieve.Columns{Left: "currency", Right: "Cur"}, Readings: reading.MustParse("left trim", "ignore-case")}}
	turned := d.Swapped()
	want := sieve.Definition{Name: "Deposits", Left: "bank", Right: "office", Where: sieve.Where{Left: "zero(Sum) > 0", Right: `quay == "Tar Quay"`}, Repeats: "refuse-right", Carry: true,
		Key:      []sieve.KeyPart{{Columns: sieve.Columns{Left: "Slip No", Right: "slip"}, Readings: reading.MustParse("trim", "right date YYYY-MM-DD", "left date DD.MM.YYYY"), Blanks: "equal"}},
		Compare:  []sieve.Field{{Columns: sieve.Columns{Left: "Sum", Right: "amount"}, As: "decimal", Within: "0.05"}},
		Amounts:  []sieve.Amount{{Columns: sieve.Columns{Left: "Fee", Right: "fee"}, Readings: reading.MustParse("left number comma")}},
		Currency: &sieve.Currency{Columns: sieve.Columns{Left: "Cur", Right: "currency"}, Readings: reading.MustParse("right trim", "ignore-case")}}
	if !reflect.DeepEqual(turned, want) {
		t.Errorf("turned, it is\n%+v\nwant\n%+v", turned, want)
	}
	if back := turned.Swapped(); !reflect.DeepEqual(back, d) {
		t.Errorf("turned back, it is\n%+v\nwant\n%+v", back, d)
	}
	if d.Currency.Left != "currency" {
		t.Error("turning a definition has changed it")
	}
}
