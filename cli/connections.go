package cli

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"os"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"twinsieve/service/view"
	"twinsieve/sources"
)

// connecting are the options of connect.
type connecting struct {
	view.Access
	limit    time.Duration
	stdin    bool
	password *string
}

func newConnect(root *rootFlags) *cobra.Command {
	c := &connecting{}
	cmd := &cobra.Command{
		Use:   "connect NAME",
		Short: "Save a connection to a database, or change one, and try it",
		Long: `Save a connection to a database under a name, or change what is stated of one that is there, and try it.

The password is asked for on a terminal, read from standard input with --password-stdin, or taken, whenever it is needed, from
an environment variable of the service. It is kept encrypted, and never shown again. Use a database user that may only read:
the service asks for read-only transactions, and a user who may do no more is the second lock on the door.`,
		Example: `  twinsieve connect harbour --kind postgresql --host 127.0.0.1 --database port --user reader
  twinsieve connect agency --kind mariadb --host db.agency.example --database billing --user reader --password-variable TWINSIEVE_SECRET_AGENCY
  twinsieve connect tally --kind sqlite --file tally.sqlite`,
		Args:              exactArgs(1, "the name of the connection"),
		ValidArgsFunction: root.completeConnections,
		RunE:              func(cmd *cobra.Command, args []string) error { return c.run(cmd, root, args[0]) },
	}
	f := cmd.Flags()
	oneOfVar(f, &c.Kind, "kind", "", sources.Kinds, "kind of the database: "+strings.Join(sources.Kinds, ", ")+" (mariadb is MySQL, too)")
	f.StringVar(&c.Host, "host", "", "host of the server")
	wholeNumberVar(f, &c.Port, "port", 0, 1, 65535, "port `N` of the server (default: the usual one)")
	f.StringVar(&c.Database, "database", "", "name of the database")
	f.StringVar(&c.User, "user", "", "user as whom it is read")
	oneOfVar(f, &c.TLS, "tls", "", []string{"off", "on", "verify"}, "TLS to the database: off, on, verify (default off)")
	f.StringVar(&c.File, "file", "", "of sqlite: file in the folder that the service may read")
	f.DurationVar(&c.limit, "limit", 0, "how long a query may take, such as 90s or 10m (default: an hour)")
	f.StringVar(&c.Variable, "password-variable", "", "environment variable of the service that holds the password; begins with TWINSIEVE_SECRET_")
	f.BoolVar(&c.stdin, "password-stdin", false, "read the password from standard input")
	return cmd
}

func (c *connecting) run(cmd *cobra.Command, root *rootFlags, name string) error {
	if err := checkOutput(root.output); err != nil {
		return err
	}
	if c.limit != 0 && c.limit < time.Second || c.limit%time.Second != 0 {
		return wrongRequest("--limit %s is not a whole number of seconds", c.limit)
	}
	c.Limit = int(c.limit / time.Second)
	api := root.client()
	before, etag, err := api.Connection(cmd.Context(), name)
	p := new(view.Problem)
	fresh := errors.As(err, &p) && view.NotFound.Is(p)
	if err != nil && !fresh {
		return fromService(err)
	}
	if !fresh {
		c.keep(cmd, &before.Access)
	}
	if err := c.ask(cmd, name, fresh); err != nil {
		return err
	}
	if fresh {
		password := ""
		if c.password != nil {
			password = *c.password
		}
		_, err = api.CreateConnection(cmd.Context(), name, c.Access, password)
	} else {
		_, err = api.ChangeConnection(cmd.Context(), name, etag, c.Access, c.password)
	}
	if err != nil {
		return fromService(err)
	}
	tables, err := api.Tables(cmd.Context(), name)
	if err != nil {
		fmt.Fprintf(cmd.ErrOrStderr(), "the connection %s is saved, and does not work yet\n", name)
		return fromService(err)
	}
	return printTables(newPrinter(cmd, root.output), name, &tables)
}

// keep takes over what is not stated from the connection as it is.
func (c *connecting) keep(cmd *cobra.Command, before *view.Access) {
	stated := c.Access
	c.Access = *before
	for flag, take := range map[string]func(){
		"kind": func() { c.Kind = stated.Kind }, "host": func() { c.Host = stated.Host }, "port": func() { c.Port = stated.Port },
		"database": func() { c.Database = stated.Database }, "user": func() { c.User = stated.User }, "tls": func() { c.TLS = stated.TLS },
		"file": func() { c.File = stated.File }, "limit": func() { c.Limit = stated.Limit }, "password-variable": func() { c.Variable = stated.Variable },
	} {
		if cmd.Flags().Changed(flag) {
			take()
		}
	}
	if c.stdin { // a password that is given takes the place of a variable
		c.Variable = ""
	}
}

// ask gets the password from where it is to come from.
func (c *connecting) ask(cmd *cobra.Command, name string, fresh bool) error {
	switch {
	case c.stdin && cmd.Flags().Changed("password-variable"):
		return wrongRequest("--password-stdin and --password-variable both say where the password is; state one of them")
	case c.stdin:
		line, err := bufio.NewReader(cmd.InOrStdin()).ReadString('\n')
		if err != nil && err != io.EOF {
			return broken("standard input cannot be read: %s", err)
		}
		line = strings.TrimRight(line, "\r\n")
		c.password = &line
	case fresh && c.User != "" && c.Variable == "" && term.IsTerminal(int(os.Stdin.Fd())):
		fmt.Fprintf(cmd.ErrOrStderr(), "Password of %s at %s (none: press Enter): ", c.User, name)
		text, err := term.ReadPassword(int(os.Stdin.Fd()))
		fmt.Fprintln(cmd.ErrOrStderr())
		if err != nil {
			return broken("the password cannot be read: %s", err)
		}
		password := string(text)
		c.password = &password
	}
	return nil
}

func newConnections(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:               "connections [NAME]",
		Short:             "List the connections to databases, or the tables of one",
		Example:           "  twinsieve connections\n  twinsieve connections harbour",
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeConnections,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			p := newPrinter(cmd, root.output)
			if len(args) == 1 {
				tables, err := root.client().Tables(cmd.Context(), args[0])
				if err != nil {
					return fromService(err)
				}
				return printTables(p, args[0], &tables)
			}
			list, err := root.client().Connections(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			if len(list.Connections) == 0 && root.output == "table" {
				fmt.Fprintln(cmd.OutOrStdout(), "There are no connections yet; save one with: twinsieve connect NAME")
				return nil
			}
			var rows [][]string
			for _, c := range list.Connections {
				rows = append(rows, connectionRow(&c))
			}
			return p.rows([]string{"connection", "kind", "where", "user", "password", "encrypted", "time limit"}, rows, list)
		},
	}
}

func connectionRow(c *view.Connection) []string {
	where, encrypted, limit := c.File, c.TLS, time.Duration(c.Limit)*time.Second
	if c.Host != "" {
		where = c.Host
		if c.Port != 0 {
			where += ":" + strconv.Itoa(c.Port)
		}
		where += "/" + c.Database
		if encrypted == "" {
			encrypted = sources.TLSOff
		}
	}
	if limit == 0 {
		limit = time.Hour
	}
	password := c.Password
	if c.Variable != "" {
		password = c.Variable
	}
	return []string{c.Name, c.Kind, where, c.User, password, encrypted, limit.String()}
}

func printTables(p *printer, connection string, tables *view.Tables) error {
	if len(tables.Tables) == 0 && p.form == "table" {
		fmt.Fprintf(p.out, "The connection %s works, and sees no tables.\n", connection)
		return nil
	}
	var rows [][]string
	for _, t := range tables.Tables {
		kind := "table"
		if t.View {
			kind = "view"
		}
		rows = append(rows, []string{t.Name, kind, strings.Join(t.Columns, ", ")})
	}
	return p.rows([]string{"table", "", "columns"}, rows, tables)
}

func newDisconnect(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:               "disconnect NAME",
		Short:             "Delete a connection that no record set is read from",
		Example:           "  twinsieve disconnect harbour",
		Args:              exactArgs(1, "the name of the connection"),
		ValidArgsFunction: root.completeConnections,
		RunE: func(cmd *cobra.Command, args []string) error {
			api := root.client()
			_, etag, err := api.Connection(cmd.Context(), args[0])
			if err == nil {
				err = api.DeleteConnection(cmd.Context(), args[0], etag)
			}
			return fromService(err)
		},
	}
}

// completeConnections completes the names of connections.
func (r *rootFlags) completeConnections(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
	list, err := r.client().Connections(cmd.Context())
	return completions(list.Connections, err, cobra.ShellCompDirectiveNoFileComp, func(c view.Connection) string { return c.Name })
}

// from are the options of load for a database.
type from struct {
	connection, table, query string
}

func (f *from) add(cmd *cobra.Command, root *rootFlags) {
	cmd.Flags().StringVar(&f.connection, "from", "", "read from this connection to a database, not from a file")
	cmd.Flags().StringVar(&f.table, "table", "", "table or view of the connection")
	cmd.Flags().StringVar(&f.query, "query", "", "query of the connection; @FILE reads it from a file")
	_ = cmd.RegisterFlagCompletionFunc("from", root.completeConnections)
	_ = cmd.RegisterFlagCompletionFunc("table", func(cmd *cobra.Command, _ []string, _ string) ([]string, cobra.ShellCompDirective) {
		tables, err := root.client().Tables(cmd.Context(), f.connection)
		return completions(tables.Tables, err, cobra.ShellCompDirectiveNoFileComp, func(t sources.Table) string { return t.Name })
	})
}

// source is what is read from the connection.
func (f *from) source() (view.SourceRef, error) {
	query := f.query
	if file, ok := strings.CutPrefix(query, "@"); ok {
		text, err := os.ReadFile(file)
		if err != nil {
			return view.SourceRef{}, broken("the query cannot be read: %s", err)
		}
		query = string(text)
	}
	if (f.table == "") == (query == "") {
		return view.SourceRef{}, wrongRequest("--from needs either --table or --query")
	}
	return view.SourceRef{Place: view.Place{Connection: f.connection, Table: f.table, Query: query}}, nil
}
