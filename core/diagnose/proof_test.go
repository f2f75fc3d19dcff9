package diagnose_test

import (
	"context"
	"fmt"
	"testing"

	"twinsieve/core/diagnose"
	"twinsieve/core/match"
	"twinsieve/core/reading"
	"twinsieve/core/record"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/sieve"
)

func remedies(t *testing.T, d sieve.Definition, columns []string, left, right [][]string) *diagnose.Diagnosis {
	t.Helper()
	plan, err := d.Compile(columns, columns)
	if err != nil {
		t.Fatal(err)
	}
	tables := [2]record.Table{recordtest.Table(t, columns, left), recordtest.Table(t, columns, right)}
	index, err := match.Build(context.Background(), plan, tables[0], tables[1], match.Options{})
	if err != nil {
		t.Fatal(err)
	}
	found, err := diagnose.Of(context.Background(), plan, index, tables, nil)
	if err != nil {
		t.Fatal(err)
	}
	return found
}

// TestNoRemedyForgivesValues: no step that drops points, signs or digits is offered for a column that holds numbers or dates.
func TestNoRemedyForgivesValues(t *testing.T) {
	key := func(name string) sieve.KeyPart { return sieve.KeyPart{Columns: sieve.Columns{Left: name}} }
	for name, c := range map[string]struct{ left, right [][]string }{
		"decimals": {[][]string{{"X1", "12.50"}, {"X2", "125.0"}, {"X3", "7.77"}, {"X4", "1.11"}}, [][]string{{"x1", "125,0"}, {"x2", "12,50"}, {"x3", "77,7"}, {"x4", "1,11"}}},
		"zeros":    {[][]string{{"X1", "12.05"}, {"X2", "3.07"}, {"X3", "9.01"}}, [][]string{{"x1", "12.5"}, {"x2", "3.7"}, {"x3", "9.1"}}},
		"signs":    {[][]string{{"X1", "-5"}, {"X2", "-7"}, {"X3", "-9"}}, [][]string{{"x1", "5"}, {"x2", "7"}, {"x3", "9"}}},
		"days":     {[][]string{{"X1", "2031-01-11"}, {"X2", "2031-01-12"}, {"X3", "2031-01-13"}}, [][]string{{"x1", "20310111"}, {"x2", "2031-11-2"}, {"x3", "2031-11-3"}}},
	} {
		found := remedies(t, sieve.Definition{Left: "l", Right: "r", Key: []sieve.KeyPart{key("id"), key("amt")}}, []string{"id", "amt"}, c.left, c.right)
		for _, cause := range found.Causes {
			for _, change := range cause.Changes {
				for _, r := range change.Readings {
					if change.Part == 1 && r.Name != "number" && r.Name != "date" && r.Name != "trim" {
						t.Errorf("%s: %s is offered for the values of %d records", name, r, cause.Records[0])
					}
				}
			}
		}
	}
}

// TestStrangersAreMarked: a remedy whose pairs disagree in most other columns is doubtful, and one whose pairs agree is not.
func TestStrangersAreMarked(t *testing.T) {
	columns := []string{"ref", "amount", "agent"}
	var left, right, same [][]string
	for n := range 300 {
		amount, agent := fmt.Sprintf("%d.%02d", n*7%1000, n%100), []string{"Tam", "Ines", "Lio", "Bo", "Kai"}[n%5]
		left = append(left, []string{fmt.Sprintf("A-%04d", n+1), amount, agent})
		right = append(right, []string{fmt.Sprintf("a-%04d/01", n+1), amount, agent})
		same = append(same, []string{fmt.Sprintf("a-%04d", n+1), amount, agent})
	}
	d := sieve.Definition{Left: "l", Right: "r", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "ref"}, Readings: reading.MustParse("trim")}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "amount"}, As: "decimal"}}}
	doubtful := 0
	for _, c := range remedies(t, d, columns, left, right).Causes {
		if len(c.Changes) > 0 && c.Proof.Doubtful() {
			doubtful++
		} else if len(c.Changes) > 0 {
			t.Errorf("%v pair %v with %+v, and are not marked", c.Changes, c.Records, c.Proof)
		}
	}
	if doubtful == 0 {
		t.Error("no remedy pairs strangers: the case no longer covers it")
	}
	causes := remedies(t, d, columns, left, same).Causes
	if len(causes) != 1 || causes[0].Records != [2]int64{300, 300} || causes[0].Proof.Doubtful() || causes[0].Proof.Agreeing != causes[0].Proof.Compared || causes[0].Proof.Compared != 400 {
		t.Errorf("%+v", causes)
	}
}
