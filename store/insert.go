package store

import (
	"database/sql"
	"errors"
	"strings"

	"gorm.io/gorm"
)

// rowsAtOnce is how many rows one statement inserts. The driver looks for each value among all of a statement, so that many more are slower.
const rowsAtOnce = 8

// insertMany inserts n rows, many with each statement, which is several times as fast as making the rows from structs. values are
// those of row i, in the order of columns.
func insertMany(tx *gorm.DB, table, columns string, n int, values func(i int) []any) (err error) {
	row := "(" + strings.TrimSuffix(strings.Repeat("?,", strings.Count(columns, ",")+1), ",") + "),"
	var full *sql.Stmt // for as many rows as one takes
	defer func() {
		if full != nil {
			err = errors.Join(err, full.Close())
		}
	}()
	for first := 0; first < n; first += rowsAtOnce {
		some := min(rowsAtOnce, n-first)
		var args []any
		for i := range some {
			args = append(args, values(first+i)...)
		}
		statement := "INSERT INTO " + table + " (" + columns + ") VALUES " + strings.TrimSuffix(strings.Repeat(row, some), ",")
		if some < rowsAtOnce {
			if _, err := tx.Statement.ConnPool.ExecContext(tx.Statement.Context, statement, args...); err != nil {
				return err
			}
			continue
		}
		if full == nil {
			if full, err = tx.Statement.ConnPool.PrepareContext(tx.Statement.Context, statement); err != nil {
				return err
			}
		}
		if _, err := full.ExecContext(tx.Statement.Context, args...); err != nil {
			return err
		}
	}
	return nil
}
