package delimited_test

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/formats/delimited"
)

// TestFindDelimiter: of several characters that divide a text alike, the delimiter is the one that leaves its numbers, dates and names whole.
func TestFindDelimiter(t *testing.T) {
	for text, want := range map[string]string{
		"call,fee\nMW-1,1.50\n":                                  ", 2 2",
		"Betrag, EUR;Datum\n1,50;01.02.2024\n":                   "; 2 2",
		"Betrag, EUR;Datum\r\n1,50;01.02.2024\r\n":               "; 2 2",
		"id\tCity, State\n1\tOslo, NO\n":                         "\t 2 2",
		"Surname, first;City\nLind, Ebba;Oslo\nDoe, Jo;Riga\n":   "; 3 3",
		"low|high\n1,5|2,5\n3,5|4,5\n":                           "| 3 3",
		"a;b;c,d\n1;2;3,4\n":                                     "; 2 2",
		"day;amount\n\"1,5;x\";2\n":                              "; 2 2",
		"Betrag\n1,50\n2;x\n3,50\n":                              "\t 0 0",
		"one column\n1.50\n":                                     ", 0 0",
		"a|b\n1|2\n\n3|4\n":                                      "| 3 3",
		"amount;berths\n1,50;2,75\n3,00;4,25\n5,50;6,75\n":       "; 4 4",
		"name,berth;quay\nFog, the;Salt\nWren, old;Tar\nx;North": "; 3 3",
	} {
		d, alike, of := delimited.FindDelimiter([]byte(text))
		if got := fmt.Sprint(string(d), " ", alike, " ", of); got != want {
			t.Errorf("%q: %q, want %q", text, got, want)
		}
	}
	// What a delimiter is found in does not depend on how long the text is: 50 lines are looked at.
	if _, alike, of := delimited.FindDelimiter([]byte(strings.Repeat("1;2\n", 500))); alike != 50 || of != 50 {
		t.Errorf("%d of %d lines", alike, of)
	}
}
