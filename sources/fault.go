package sources

import (
	"errors"
	"strings"

	"github.com/go-sql-driver/mysql"
	"github.com/jackc/pgx/v5/pgconn"

	"twinsieve/core/record"
)

func isUnreadable(err error) bool {
	var u *record.Unreadable
	return errors.As(err, &u)
}

// faultOf finds out what an error of a driver means. What the database says is passed on in its own words.
func faultOf(err error) *Fault {
	var fault *Fault
	if errors.As(err, &fault) {
		return fault
	}
	var pg *pgconn.PgError
	if errors.As(err, &pg) {
		return postgresFault(pg)
	}
	var my *mysql.MySQLError
	if errors.As(err, &my) {
		return mariadbFault(my)
	}
	return &Fault{Gone, "the database went away while it was being read: " + oneLine(err.Error()) + "; try again when it is back"}
}

func refused(words string) *Fault {
	return &Fault{Refused, "the database refuses the query: " + oneLine(words)}
}

func unreachable(err error) *Fault {
	return &Fault{Unreachable, "the database cannot be reached: " + oneLine(err.Error()) + "; see that it is running, and that host, port, database, user and password are right"}
}

// oneLine is a text of a database in one line.
func oneLine(text string) string { return strings.Join(strings.Fields(text), " ") }
