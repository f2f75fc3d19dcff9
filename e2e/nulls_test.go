package e2e

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"

	"twinsieve/client"
	"twinsieve/core/sieve"
	"twinsieve/formats/intake"
	"twinsieve/service/view"
)

// TestNullsHandedOver: where a format can tell them apart, a null, an empty text and the cells of a partner that there is not are not the same,
// and what is handed over is read back cell for cell.
func TestNullsHandedOver(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	c := p.client()
	const left, right = `{"id":"1","v":null,"w":"x"}` + "\n" + `{"id":"2","v":"","w":null}` + "\n" + `{"id":"3","v":"&","w":"\u0001"}` + "\n", `{"id":"1","v":"","w":"y"}` + "\n"
	for name, text := range map[string]string{"calls": left, "bills": right} {
		if _, err := loadWith(t, c, name, name+".ndjson", text, view.Recipe{}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := c.CreateSieve(t.Context(), sieve.Definition{Name: "Nulls", Left: "calls", Right: "bills", Key: []sieve.KeyPart{{Columns: sieve.Columns{Left: "id", Right: "id"}}},
		Compare: []sieve.Field{{Columns: sieve.Columns{Left: "w", Right: "w"}, As: "text"}}}); err != nil {
		t.Fatal(err)
	}
	head := runSieve(t, c, "Nulls")
	const want = `differing 1 "1" ∅ "x" "1" "" "y"; missing ∅ "2" "" ∅ ∅ ∅ ∅; missing ∅ "3" "&" "\x01" ∅ ∅ ∅`
	for _, format := range []string{"json", "ndjson", "parquet", "arrow"} {
		var file bytes.Buffer
		if err := c.Export(t.Context(), head.ID, client.Query{}, client.Format{Name: format}, &file); err != nil {
			t.Fatal(err)
		}
		src, err := intake.Open(bytes.NewReader(file.Bytes()), int64(file.Len()), intake.Choices{}, intake.Options{Name: "x." + format})
		if err != nil {
			t.Fatal(err)
		}
		var rows []string
		for {
			b, err := src.Next()
			if err == io.EOF {
				break
			}
			if err != nil {
				t.Fatal(err)
			}
			for i := range b.Records() {
				row := []string{b.Cells(i)[0].Text}
				for at, name := range src.Columns() {
					cell := b.Cells(i)[at]
					if name != "right line" && !strings.HasPrefix(name, "calls.") && !strings.HasPrefix(name, "bills.") {
						continue
					}
					text := fmt.Sprintf("%q", cell.Text)
					switch {
					case cell.Null:
						text = "∅"
					case name == "right line":
						text = "1"
					}
					row = append(row, text)
				}
				rows = append(rows, strings.Join(row, " "))
			}
		}
		if got := strings.Join(rows, "; "); got != want {
			t.Errorf("%s: %s, want %s", format, got, want)
		}
	}
	dir := t.TempDir()
	r := run(t, nil, "sift", write(t, dir, "calls.ndjson", []byte(left)), write(t, dir, "bills.ndjson", []byte(right)), "-k", "id", "-c", "w", "-o", "ndjson")
	for _, line := range []string{`"calls.v":null,"calls.w":"x"`, `"calls.v":"","calls.w":null`, `"right line":null`} {
		if r.status != 1 || !strings.Contains(r.out, line) {
			t.Errorf("sift: exit %d, %s%s, without %s", r.status, r.out, r.errors, line)
		}
	}
}
