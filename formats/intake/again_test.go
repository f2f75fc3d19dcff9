package intake

import (
	"context"
	"io"
	"slices"
	"strings"
	"testing"

	"twinsieve/core/expression"
	"twinsieve/core/record"
)

// TestAgain reads files again that can be, and holds what comes against what came first, blank markers included; and says of
// others that they cannot.
func TestAgain(t *testing.T) {
	ctx := context.Background()
	text := "call,quay,amount\nMW-1,n/a,1.50\n\nMW-2,Tar Quay,2\n\"MW-3\",\"a\nb\",n/a\nMW-4,x,4\n"
	for name, c := range map[string]struct {
		text    string
		choices Choices
		again   bool
	}{
		"as it is":         {text, Choices{}, true},
		"with markers":     {text, Choices{Blanks: []string{"n/a"}}, true},
		"of another code":  {text + "M\xfcller,y,5\n", Choices{Encoding: "windows-1252"}, false},
		"with computation": {text, Choices{Computed: []expression.Column{{Name: "twice", Expression: `zero(amount) * 2`}}}, false},
		"without its last": {text, Choices{SkipLast: 1}, false},
		"as JSON":          {`[{"call":"MW-1"}]`, Choices{}, false},
	} {
		file := strings.NewReader(c.text)
		source, err := Open(file, int64(len(c.text)), c.choices, Options{})
		if err != nil {
			t.Fatalf("%s: %s", name, err)
		}
		if source.Again() != c.again {
			t.Errorf("%s: can be read again: %t", name, source.Again())
		}
		var first []*record.Batch
		for {
			b, err := source.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatalf("%s: %s", name, err)
			}
			first = append(first, b)
		}
		if !c.again {
			continue
		}
		table := source.Table(file)
		if len(first) != 1 || table.Records() != 4 {
			t.Fatalf("%s: %d batches, %d records", name, len(first), table.Records())
		}
		want := first[0]
		whole, err := table.Batch(ctx, 0)
		if err != nil {
			t.Fatal(err)
		}
		column, err := record.ColumnOf(ctx, table, 0, 1)
		if err != nil {
			t.Fatal(err)
		}
		some, err := record.SomeOf(ctx, table, 0, []int{2})
		if err != nil {
			t.Fatal(err)
		}
		for i := range want.Records() {
			if !slices.Equal(whole.Cells(i), want.Cells(i)) || column.IsNull(i) != want.Columns[1].IsNull(i) || some.Columns[2].IsNull(i) != want.Columns[2].IsNull(i) {
				t.Errorf("%s: record %d is %v, want %v", name, i, whole.Cells(i), want.Cells(i))
			}
		}
		err = record.Gather(ctx, table, []uint32{0, 2}, func(n int, b *record.Batch, i int) {
			if at := []int{0, 2}[n]; !slices.Equal(b.Cells(i), want.Cells(at)) || b.Line(i) != want.Line(at) {
				t.Errorf("%s: record %d is picked as %v", name, at, b.Cells(i))
			}
		})
		if err != nil {
			t.Fatal(err)
		}
	}
}
