package store

import (
	"reflect"
	"slices"

	"gorm.io/gorm"
)

// A number means one thing for ever: of these tables, a row that comes after others have been deleted does not get one of their numbers, for
// reports, links, histories and what people have written down refer to rows by them.
var numbered = firstNumbered

// firstNumbered are those of them of which numbers were given once first. The migration that brought it names them, so that this list is never
// changed; further tables get their trigger by a migration of their own.
var firstNumbered = []string{"record_sets", "snapshots", "connections", "sieves", "runs", "people", "tokens", "comments", "attachments", "actions", "shares", "webhooks", "deliveries"}

// numberRows lets rows that are created get the number behind the last that was ever given in their table.
func numberRows(db *gorm.DB) error {
	return db.Callback().Create().Before("gorm:create").Register("numbers", func(tx *gorm.DB) {
		row := tx.Statement
		if tx.Error != nil || row.Schema == nil || !slices.Contains(numbered, row.Schema.Table) || row.ReflectValue.Kind() != reflect.Struct {
			return
		}
		field := row.Schema.PrioritizedPrimaryField
		if _, none := field.ValueOf(row.Context, row.ReflectValue); !none {
			return
		}
		var number uint
		err := tx.Session(&gorm.Session{NewDB: true}).Raw("SELECT 1 + max((SELECT coalesce(max(id), 0) FROM "+row.Schema.Table+"), (SELECT last FROM numbers WHERE kind = ?))", row.Schema.Table).Scan(&number).Error
		if err == nil {
			err = field.Set(row.Context, row.ReflectValue, number)
		}
		if err != nil {
			_ = tx.AddError(err)
		}
	})
}

// numbersMigration notes the greatest number that was ever given in each table, as far as rows and what refers to them still tell, and notes
// that of every row that is deleted.
func numbersMigration() (sql []string) {
	elsewhere := map[string]string{
		"snapshots": "SELECT max(left_id) FROM runs UNION SELECT max(right_id) FROM runs",
		"sieves":    "SELECT max(sieve_id) FROM runs UNION SELECT max(sieve_id) FROM exceptions UNION SELECT max(sieve_id) FROM acceptances",
		"runs":      "SELECT max(body_run) FROM exceptions UNION SELECT max(run_id) FROM actions",
		"people":    "SELECT max(person_id) FROM history",
		"webhooks":  "SELECT max(webhook_id) FROM deliveries",
		"comments":  "SELECT max(comment_id) FROM mentions",
	}
	sql = append(sql, `CREATE TABLE numbers (kind TEXT PRIMARY KEY, last INTEGER NOT NULL) WITHOUT ROWID`)
	for _, table := range firstNumbered {
		from := "SELECT max(id) AS n FROM " + table
		if other := elsewhere[table]; other != "" {
			from += " UNION " + other
		}
		sql = append(sql, `INSERT INTO numbers SELECT '`+table+`', coalesce(max(n), 0) FROM (`+from+`)`,
			`CREATE TRIGGER `+table+`_numbers AFTER DELETE ON `+table+` BEGIN UPDATE numbers SET last = max(last, OLD.id) WHERE kind = '`+table+`'; END`)
	}
	return sql
}
