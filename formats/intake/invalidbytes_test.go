package intake_test

import (
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
)

// TestInvalidBytes: a file that is UTF-8 but for one byte is not read as another encoding. It is refused, with the line and the column, or the
// record with that byte is rejected and every other is as it was.
func TestInvalidBytes(t *testing.T) {
	for name, c := range map[string]struct {
		head, line, tail, where string
		choices                 intake.Choices
	}{
		"delimited":    {head: "id;name\n", line: "%d;\"%s\"\n", where: `line %d: column "name" has bytes that are not UTF-8 (C3)`},
		"no quotes":    {head: "id;name\n", line: "%d;%s\n", where: `line %d: column "name" has bytes that are not UTF-8 (C3)`},
		"fixed":        {line: "%05d%-9s\n", where: `line %d: column "name" has bytes that are not UTF-8 (C3)`, choices: intake.Choices{Layout: "id 1-5, name 6-14"}},
		"NDJSON":       {line: `{"id":%d,"name":"%s"}` + "\n", where: "line %d: the line has bytes that are not UTF-8 (C3)"},
		"JSON":         {head: "[{}\n", line: `,{"id":%d,"name":"%s"}` + "\n", tail: "]", where: "line %d: the record has bytes that are not UTF-8 (C3)"},
		"one too many": {head: "id;name\n", line: "%d;%s;\n", where: `line %d: column "name" has bytes that are not UTF-8 (C3)`},
	} {
		for _, at := range []int{0, 7, 700, record.BatchRecords + 10} {
			t.Run(fmt.Sprint(name, " ", at), func(t *testing.T) {
				const records = record.BatchRecords + 500
				var text strings.Builder
				text.WriteString(c.head)
				for n := range records {
					who := "Müller"
					if n == at {
						who = "Andr\xc3"
					}
					line := c.line
					if name == "one too many" && n != at {
						line = strings.TrimSuffix(line, ";\n") + "\n"
					}
					fmt.Fprintf(&text, line, n, who)
				}
				text.WriteString(c.tail)
				line := at + 1 + strings.Count(c.head, "\n")
				_, err := read(t, "x.txt", []byte(text.String()), c.choices)
				if err == nil || !strings.HasPrefix(err.Error(), fmt.Sprintf(c.where, line)) || !strings.HasSuffix(err.Error(), record.MendUTF8) {
					t.Fatalf("%v, want a fault that begins with "+c.where, err, line)
				}
				choices := c.choices
				choices.InvalidBytes = intake.BytesReject
				got, err := read(t, "x.txt", []byte(text.String()), choices)
				whole := records - 1
				if name == "JSON" { // one object is empty
					whole++
				}
				if err != nil || len(got.rows) != whole || len(got.rejects) != 1 || !strings.Contains(got.rejects[0].Reason, "bytes that are not UTF-8 (C3)") && name != "one too many" {
					t.Fatalf("%d records, rejects %v, %v", len(got.rows), got.rejects, err)
				}
				for i, row := range got.rows {
					if row[1].Text != "Müller" && (name != "JSON" || i > 0) {
						t.Fatalf("record %d is %v", i, row)
					}
				}
			})
		}
	}
}
