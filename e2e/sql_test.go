package e2e

import (
	"bytes"
	"database/sql"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	_ "github.com/glebarez/sqlite"

	"twinsieve/demo"
	"twinsieve/service/summary"
)

// The demo's readings, written in SQL and not taken from ours. A call number is MW, a hyphen and digits; a key part that
// is blank or cannot be read is NULL, which equals nothing.
const (
	sqlSpaces   = `' ' || char(160) || char(9)`
	sqlLeftKey  = `SELECT rowid AS id, amount_due AS amount, lower(trim(call_no, ` + sqlSpaces + `)) AS call, date(service_date) AS day, lower(trim(service_code, ` + sqlSpaces + `)) AS code FROM l`
	sqlRightKey = `SELECT rowid AS id, "Amount" AS amount, lower(trim("Voyage Call", ` + sqlSpaces + `)) AS call,
		substr("Invoiced On", 7, 4) || '-' || substr("Invoiced On", 4, 2) || '-' || substr("Invoiced On", 1, 2) AS day, lower(trim("Svc", ` + sqlSpaces + `)) AS code FROM r`
	sqlKeyed = `SELECT id, amount, CASE WHEN call = '' OR code = '' OR day IS NOT date(day) THEN NULL
		ELSE substr(call, 1, 3) || cast(substr(call, 4) AS INTEGER) || ' ' || day || ' ' || code END AS key FROM `
)

// sqlLoad puts a CSV text into a table. Lines that are no records are left out by their number of cells.
func sqlLoad(t *testing.T, db *sql.DB, table string, text []byte) {
	t.Helper()
	r := csv.NewReader(bytes.NewReader(text))
	r.FieldsPerRecord = -1
	rows, err := r.ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	quote := func(names []string) string { return `"` + strings.Join(names, `", "`) + `"` }
	if _, err := db.Exec(fmt.Sprintf(`CREATE TABLE %s (%s)`, table, quote(rows[0]))); err != nil {
		t.Fatal(err)
	}
	marks := strings.TrimSuffix(strings.Repeat("?, ", len(rows[0])), ", ")
	for _, row := range rows[1:] {
		if len(row) != len(rows[0]) {
			continue
		}
		var values []any
		for _, cell := range row {
			values = append(values, cell)
		}
		if _, err := db.Exec(fmt.Sprintf(`INSERT INTO %s VALUES (%s)`, table, marks), values...); err != nil {
			t.Fatal(err)
		}
	}
}

// TestSQL holds the counts of the comparisons against a real SQL engine's FULL OUTER JOIN over the demo's files.
func TestSQL(t *testing.T) {
	t.Parallel()
	for seed := range uint64(5) {
		s := demo.New(demo.Options{Seed: 100 + seed})
		db, err := sql.Open("sqlite", ":memory:")
		if err != nil {
			t.Fatal(err)
		}
		defer db.Close()
		db.SetMaxOpenConns(1)
		sqlLoad(t, db, "l", s.ServiceLog)
		sqlLoad(t, db, "r", s.Invoices)
		for _, statement := range []string{
			`CREATE TEMP TABLE lk AS ` + sqlKeyed + `(` + sqlLeftKey + `)`,
			`CREATE TEMP TABLE rk AS ` + sqlKeyed + `(` + sqlRightKey + `)`,
			`CREATE TEMP TABLE j AS SELECT lk.id AS lid, rk.id AS rid FROM lk FULL OUTER JOIN rk ON lk.key = rk.key`,
		} {
			if _, err := db.Exec(statement); err != nil {
				t.Fatal(err)
			}
		}
		dir := t.TempDir()
		if err := s.Write(dir); err != nil {
			t.Fatal(err)
		}
		r := run(t, nil, "sift", dir+"/"+demo.ServiceLogFile, dir+"/"+demo.InvoicesFile, "--sieve", dir+"/"+demo.BillingFile, "-o", "json")
		var got summary.Summary
		if err := json.Unmarshal([]byte(r.out), &got); err != nil {
			t.Fatalf("%v: %s", err, r.errors)
		}
		queries := map[string]string{
			"full": `SELECT count(*) FROM j`, "inner": `SELECT count(*) FROM j WHERE lid IS NOT NULL AND rid IS NOT NULL`,
			"left": `SELECT count(*) FROM j WHERE lid IS NOT NULL`, "right": `SELECT count(*) FROM j WHERE rid IS NOT NULL`,
			"left-semi":  `SELECT count(DISTINCT lid) FROM j WHERE rid IS NOT NULL`,
			"right-semi": `SELECT count(DISTINCT rid) FROM j WHERE lid IS NOT NULL`,
			"left-anti":  `SELECT count(*) FROM j WHERE rid IS NULL`, "right-anti": `SELECT count(*) FROM j WHERE lid IS NULL`,
			"full-anti":   `SELECT count(*) FROM j WHERE lid IS NULL OR rid IS NULL`,
			"cross":       `SELECT (SELECT count(*) FROM l) * (SELECT count(*) FROM r)`,
			"separate":    `SELECT (SELECT count(*) FROM l) + (SELECT count(*) FROM r)`,
			"by-position": `SELECT max((SELECT count(*) FROM l), (SELECT count(*) FROM r))`,
		}
		for _, c := range got.Comparisons {
			var want int64
			if err := db.QueryRow(queries[string(c.Comparison)]).Scan(&want); err != nil {
				t.Fatalf("%s: %v", c.Comparison, err)
			}
			if c.Rows != want {
				t.Errorf("seed %d, %s: %d rows, SQL says %d", seed, c.Comparison, c.Rows, want)
			}
		}
	}
}
