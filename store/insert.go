package store

import (
	"strings"

	"gorm.io/gorm"
)

// insertMany inserts n rows with a statement that is prepared once, which is several times as fast as making the rows from
// structs. values are those of row i, in the order of columns.
func insertMany(tx *gorm.DB, table, columns string, n int, values func(i int) []any) error {
	marks := strings.TrimSuffix(strings.Repeat("?,", strings.Count(columns, ",")+1), ",")
	stmt, err := tx.Statement.ConnPool.PrepareContext(tx.Statement.Context, "INSERT INTO "+table+" ("+columns+") VALUES ("+marks+")")
	if err != nil {
		return err
	}
	defer stmt.Close()
	for i := range n {
		if _, err := stmt.ExecContext(tx.Statement.Context, values(i)...); err != nil {
			return err
		}
	}
	return nil
}
