package sources

import (
	"errors"
	"strings"
	"testing"
)

// TestOnlyQueries: what is not one query is refused before any database sees it, however it is written.
func TestOnlyQueries(t *testing.T) {
	for _, text := range []string{
		"SELECT 1", " select * from dues", "-- dues\nSELECT 1", "/* a */ /* b */ SELECT 1", "(SELECT 1) UNION (SELECT 2)", "WITH d AS (SELECT 1) SELECT * FROM d", "VALUES (1), (2)",
		"TABLE dues", "SHOW TABLES", "SELECT 1;", "SELECT 1; -- done", "SELECT 'INTO; DROP TABLE dues'", `SELECT "into" FROM dues`, "SELECT `into` FROM dues", "SELECT 'it''s; into'",
		"SELECT into_port FROM dues", `SELECT 'it\'s' FROM dues`, "SELECT 1 /* into; delete */", "SELECT replace(remark, 'a', 'b') FROM dues",
	} {
		for _, kind := range Kinds {
			if err := checkQuery(kind, text); err != nil {
				t.Errorf("%s: %s: %v", kind, text, err)
			}
		}
	}
	for text, want := range map[string]string{
		"": "is empty", " -- nothing": "is empty", "INSERT INTO dues VALUES (1)": "begins with INSERT", "COPY dues TO '/tmp/x'": "begins with COPY", "BEGIN NOT ATOMIC COMMIT; INSERT INTO d VALUES (1); END": "begins with BEGIN",
		"SET STATEMENT tx_read_only=0 FOR SELECT 1": "begins with SET", "DO $$ BEGIN COMMIT; END $$": "begins with DO", "EXPLAIN ANALYZE DELETE FROM dues": "begins with EXPLAIN", "CALL p()": "begins with CALL",
		"SELECT 1 INTO OUTFILE '/tmp/x'": "has the word INTO", "SELECT * INTO copy FROM dues": "has the word INTO", "SELECT 1 into\ndumpfile '/tmp/x'": "has the word INTO", "SELECT 1 IN/**/TO OUTFILE 'x'": "",
		"SELECT 1; DELETE FROM dues": "second statement, which begins with DELETE", "SELECT 1;;SELECT 2": "second statement", "/*! INSERT INTO d VALUES (1) */": "the server executes", "SELECT 1 /*!50000 INTO OUTFILE 'x' */": "the server executes",
		"SELECT 1 /*M!100100 INTO OUTFILE 'x' */": "the server executes", "SELECT 'a\\' INTO OUTFILE 'x' -- '": "has the word INTO", "SELECT 'a\\'' INTO OUTFILE 'x'": "has the word INTO", "SELECT 'open": "not closed", "SELECT 1 /* open": "not closed",
		"PRAGMA table_info(dues)": "begins with PRAGMA", "ATTACH 'x' AS y": "begins with ATTACH", "VACUUM INTO 'x'": "begins with VACUUM", "# a\nDELETE FROM dues": "",
	} {
		for _, kind := range Kinds {
			err := checkQuery(kind, text)
			fault := new(Fault)
			switch {
			case want == "" && kind != MariaDB: // another kind of comment there
			case want == "" && strings.HasPrefix(text, "SELECT"): // two words to every server
			case !errors.As(err, &fault) || fault.Reason != Refused || want != "" && !strings.Contains(fault.What, want):
				t.Errorf("%s: %s: %v, want %q", kind, text, err, want)
			}
		}
	}
	for text, refused := range map[string]bool{"SELECT $$INTO$$": false, "SELECT $a$ ; INTO $a$": false, "SELECT $1": false, "/* /* */ SELECT 1": true, "SELECT 1 /* /* */ INTO */": false} {
		if err := checkQuery(PostgreSQL, text); (err != nil) != refused {
			t.Errorf("%s: %v", text, err)
		}
	}
	if err := checkQuery(MariaDB, "SELECT 1 /* /* */ INTO OUTFILE 'x' */"); err == nil {
		t.Error("a comment that ends at its first end hid a word")
	}
}

func FuzzCheckQuery(f *testing.F) {
	for _, text := range []string{"SELECT 'a", "SELECT $a$", "/*", "SELECT \"", "((((", "SELECT 1;--", "[", "WITH x AS (SELECT `a`) TABLE x"} {
		f.Add(text)
	}
	f.Fuzz(func(t *testing.T, text string) {
		for _, kind := range Kinds {
			err := checkQuery(kind, text)
			fault := new(Fault)
			if err != nil && !errors.As(err, &fault) {
				t.Errorf("%q: %v", text, err)
			}
			if begin := strings.ToUpper(strings.TrimSpace(text)); err == nil && (strings.HasPrefix(begin, "INSERT") || strings.HasPrefix(begin, "DROP") || strings.HasPrefix(begin, "COPY")) {
				t.Errorf("%q is taken for a query", text)
			}
		}
	})
}
