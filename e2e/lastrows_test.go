package e2e

import (
	"bytes"
	"strings"
	"testing"

	"twinsieve/core/record"
	"twinsieve/formats/intake"
	"twinsieve/formats/outform"
	"twinsieve/service/view"
)

// TestLastRows: a totals row at the end of a workbook and of a JSON array is no record, and one that cannot be told from a record causes a
// warning, in sift and in load; lines with too few cells are filled on request, and counted, also when the set is loaded again.
func TestLastRows(t *testing.T) {
	t.Parallel()
	p := serve(t, t.TempDir())
	dir := t.TempDir()
	rows := [][]string{{"MW-1", "2.50"}, {"MW-2", "5"}, {"Total", "7.50"}}
	bills := write(t, dir, "bills.csv", []byte("call,fee\nMW-1,2.50\nMW-2,5\n"))
	for _, form := range []string{"xlsx", "json", "ndjson"} {
		var file bytes.Buffer
		out, err := outform.New(form, &file, []outform.Column{{Name: "call"}, {Name: "fee", Number: true}}, outform.Options{})
		if err != nil {
			t.Fatal(err)
		}
		for _, row := range rows {
			if err := out.Write([]record.Cell{{Text: row[0]}, {Text: row[1]}}); err != nil {
				t.Fatal(err)
			}
		}
		if err := out.Close(); err != nil {
			t.Fatal(err)
		}
		name := write(t, dir, "log."+form, file.Bytes())
		if r := run(t, nil, "sift", name, bills, "-k", "call", "-c", "fee: as decimal"); r.status != 0 || !strings.Contains(r.out, "is a footer: Total\t7.5") {
			t.Errorf("sift %s: exit %d, %s%s", form, r.status, r.out, r.errors)
		}
		r := run(t, p.at(), "load", name)
		set, err := p.client().Set(t.Context(), "log")
		if r.status != 0 || err != nil || set.Snapshot.Records != 2 || set.Snapshot.Findings.Footed != 1 || !strings.Contains(r.errors, "is a footer: Total") {
			t.Errorf("load %s: exit %d, %s, %+v, %v", form, r.status, r.errors, set.Snapshot, err)
		}
		r = run(t, p.at(), "load", name, "--footer", "none")
		if set, err = p.client().Set(t.Context(), "log"); r.status != 0 || err != nil || set.Snapshot.Records != 3 || !strings.Contains(r.errors, "looks like a total of the others, and was taken as a record: Total\t7.5") {
			t.Errorf("load %s without footers: exit %d, %s, %+v, %v", form, r.status, r.errors, set.Snapshot, err)
		}
	}

	// Of a stack it is said which file has other columns than the others.
	january, february := write(t, dir, "january.csv", []byte("Meter,kwh\nM1,5\n")), write(t, dir, "february.csv", []byte("meter,kwh\nM1,6\n"))
	r := run(t, p.at(), "load", january, february, "--stack", "--as", "quarter", "--origin", "month")
	for _, want := range []string{`warning: january.csv has no column "meter"; its records are blank there`, `warning: february.csv has no column "Meter"`} {
		if r.status != 0 || !strings.Contains(r.errors, want) {
			t.Errorf("exit %d, %s does not say %q", r.status, r.errors, want)
		}
	}
	// A column of one file can be named as in the others, by the file's path or its name.
	for file, want := range map[string]string{january: "read as", "january.csv": "read as", "march.csv": `--rename "march.csv:Meter=meter": "march.csv" is none of the files that are stacked`} {
		r := run(t, p.at(), "load", january, february, "--stack", "--as", "quarter", "--origin", "month", "--rename", file+":Meter=meter")
		if !strings.Contains(r.errors, want) || strings.Contains(r.errors, "warning") {
			t.Errorf("rename of %s: exit %d, %s", file, r.status, r.errors)
		}
	}
	if set, err := p.client().Set(t.Context(), "quarter"); err != nil || strings.Join(set.Snapshot.Columns, " ") != "meter kwh month" {
		t.Errorf("columns of the stack: %v, %v", set.Snapshot.Columns, err)
	}
	if r := run(t, nil, "sift", january, bills, "-k", "kwh=fee", "-o", "json", "--show", "1"); !strings.Contains(r.out, `"shown": {`) || !strings.Contains(r.out, `"no january record has this key"`) {
		t.Errorf("the first exception as JSON: %s%s", r.out, r.errors)
	}

	const short = "call,day,fee\nMW-1,2031-03-01,2.50\nMW-2\nMW-3,2031-03-02\n"
	log := write(t, dir, "short.csv", []byte(short))
	if r := run(t, nil, "sift", log, bills, "-k", "call", "--left-short-rows", "fill", "-o", "json"); r.status != 1 || !strings.Contains(r.out, `"filled": [`) || strings.Contains(r.out, `"rejects": [
    2`) {
		t.Errorf("sift: exit %d, %s%s", r.status, r.out, r.errors)
	}
	set, err := loadWith(t, p.client(), "short", "short.csv", short, view.Recipe{Choices: intake.Choices{ShortRows: intake.ShortFill}})
	if err != nil || set.Snapshot.Records != 3 || set.Snapshot.Rejects != 0 || set.Snapshot.Findings.Filled != 2 {
		t.Fatalf("%+v, %v", set, err)
	}
	again := run(t, p.at(), "reload", "short", write(t, dir, "next.csv", []byte(short+"MW-4\n")))
	if after, err := p.client().Set(t.Context(), "short"); err != nil || again.status != 0 || after.Snapshot.Records != 4 || after.Snapshot.Findings.Filled != 3 {
		t.Errorf("loaded again: %+v, %+v, %v", again, after, err)
	}
}
