package e2e

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/sieve"
)

// TestLayoutsOfFields: amounts and days that are compared take the layouts that were found, in counts and in the saved sieve, and the
// saved sieve keeps them when the next file is written otherwise.
func TestLayoutsOfFields(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	const log = "call,due,day\nMW-1,1234.50,2031-03-01\nMW-2,13.5,2031-03-22\nMW-3,7.30,2031-03-14\n"
	load(t, c, "log", []byte(log))
	load(t, c, "invoices", []byte("call,sum,on\nMW-1,\"1.234,50\",1 March 2031\nMW-2,\" 13,50 \",22 March 2031\nMW-3,\"7,25\",15 March 2031\n"))
	load(t, c, "claims", []byte("call,sum,on\nMW-1,\"1,234.50\",03/01/2031\nMW-2,13.50,03/22/2031\nMW-3,7.25,03/15/2031\n"))
	def := func(name, right string) sieve.Definition {
		return sieve.Definition{Name: name, Left: "log", Right: right, Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "call"}}},
			Compare: []sieve.Field{{Columns: sieve.Columns{Left: "due", Right: "sum"}, As: "decimal", Within: "0.01"}, {Columns: sieve.Columns{Left: "day", Right: "on"}, As: "date"}}}
	}
	for right, want := range map[string]string{"invoices": "[right number comma] [right date D MMMM YYYY]", "claims": "[right number point] [right date MM/DD/YYYY]"} {
		d := def("With "+right, right)
		job, err := c.Count(t.Context(), d)
		if err != nil {
			t.Fatal(right, err)
		}
		result, err := c.Wait(t.Context(), job, nil)
		if err != nil || result.Counts.Summary.Exceptions != 1 {
			t.Fatalf("%s: %+v, %v", right, result, err)
		}
		saved, err := c.CreateSieve(t.Context(), d)
		if err != nil {
			t.Fatal(err)
		}
		if got := fmt.Sprint(saved.Definition.Compare[0].Readings, " ", saved.Definition.Compare[1].Readings); got != want {
			t.Errorf("%s: %s, want %s", right, got, want)
		}
	}
	said := run(t, p.at(), "define", "By hand", "--left", "log", "--right", "claims", "-k", "call", "-c", "due=sum: as decimal", "-c", "day=on: as date")
	if said.status != 0 || !strings.Contains(said.errors, "due = sum: read as detected when it was loaded: right number point\n") || !strings.Contains(said.errors, "right date MM/DD/YYYY") {
		t.Errorf("%+v", said)
	}
	// The next invoices come with points: what the sieve says has not changed, so that they are not read as something else.
	load(t, c, "invoices", []byte("call,sum,on\nMW-1,1234.50,1 March 2031\nMW-2,13.50,22 March 2031\nMW-3,7.25,15 March 2031\n"))
	job, err := c.Run(t.Context(), "With invoices")
	if err != nil {
		t.Fatal(err)
	}
	if _, err = c.Wait(t.Context(), job, nil); err == nil || !strings.Contains(err.Error(), `none of the 3 values of "sum" on the right can be read as stated`) ||
		!strings.Contains(err.Error(), "state how they are written") {
		t.Errorf("a sieve that reads commas, over points: %v", err)
	}
}
