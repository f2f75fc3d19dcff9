package service

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"twinsieve/service/view"
	"twinsieve/sources"
	"twinsieve/store"
)

// secretVariables is what the names of variables begin with that may hold a password. Other variables of the service are
// nobody's business.
const secretVariables = "TWINSIEVE_SECRET_"

// Connections lists the connections to databases.
func (v *Service) Connections(ctx context.Context) (*view.Connections, error) {
	rows, err := v.store.Connections(ctx)
	if err != nil {
		return nil, err
	}
	list := &view.Connections{Connections: []view.Connection{}}
	for _, row := range rows {
		c, err := connectionOf(row)
		if err != nil {
			return nil, err
		}
		list.Connections = append(list.Connections, *c)
	}
	return list, nil
}

// Connection returns a connection.
func (v *Service) Connection(ctx context.Context, name string) (*view.Connection, error) {
	row, err := v.store.Connection(ctx, name)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("connection %q", name))
	}
	return connectionOf(row)
}

func connectionOf(row store.Connection) (*view.Connection, error) {
	c := &view.Connection{Name: row.Name, Password: "none", Version: row.Version, Updated: row.Updated}
	if err := json.Unmarshal([]byte(row.Body), &c.Access); err != nil {
		return nil, err
	}
	switch {
	case c.Variable != "":
		c.Password = "variable"
	case len(row.Secret) > 0:
		c.Password = "kept"
	}
	return c, nil
}

// CreateConnection saves a new connection. The password may be empty.
func (v *Service) CreateConnection(ctx context.Context, name string, a view.Access, password string) (*view.Connection, error) {
	if err := checkName("connection", name); err != nil {
		return nil, err
	}
	body, secret, err := v.sealed(name, a, password)
	if err != nil {
		return nil, err
	}
	row, err := v.store.CreateConnection(ctx, store.Connection{Name: name, Body: body, Secret: secret})
	if errors.Is(err, store.ErrNameTaken) {
		return nil, view.NameTaken.New(fmt.Sprintf("A connection %q is there already; give another name, or change that one.", name))
	}
	if err != nil {
		return nil, problem(err, "")
	}
	return connectionOf(row)
}

// UpdateConnection changes a connection, where version is still its newest. Without a password the one that is kept stays,
// unless it would be sent to another server then.
func (v *Service) UpdateConnection(ctx context.Context, name string, version int, a view.Access, password *string) (*view.Connection, error) {
	row, err := v.store.Connection(ctx, name)
	if err != nil {
		return nil, problem(err, fmt.Sprintf("connection %q", name))
	}
	before, err := connectionOf(row)
	if err != nil {
		return nil, err
	}
	kept := ""
	if password != nil {
		kept = *password
	}
	body, secret, err := v.sealed(name, a, kept)
	if err != nil {
		return nil, err
	}
	if password == nil && before.Password == "kept" && a.Variable == "" {
		if a.Kind != before.Kind || a.Host != before.Host || a.Port != before.Port || a.User != before.User || a.TLS != before.TLS {
			return nil, view.Invalid.New("Give the password again: the one that is kept was given for another server, user or way there.", view.Fault{Where: "password", What: "it is to be given again"})
		}
		secret = row.Secret
	}
	row, err = v.store.UpdateConnection(ctx, name, version, body, secret)
	if errors.Is(err, store.ErrChanged) {
		return nil, connectionChanged(name)
	}
	if err != nil {
		return nil, problem(err, fmt.Sprintf("connection %q", name))
	}
	return connectionOf(row)
}

func connectionChanged(name string) error {
	return view.Changed.New(fmt.Sprintf("Somebody has changed the connection %q since you read it; read it again and repeat your change.", name))
}

// DeleteConnection removes a connection, where version is still its newest. One that a record set is read from stays.
func (v *Service) DeleteConnection(ctx context.Context, name string, version int) error {
	sets, newest, err := v.store.Sets(ctx)
	if err != nil {
		return err
	}
	for i, snap := range newest {
		if r, ok := recipeOf(snap); ok && readsFrom(r.Source, name) {
			return view.InUse.New(fmt.Sprintf("The record set %q is read from the connection %q; delete that set first, or load it from elsewhere.", sets[i].Name, name))
		}
	}
	err = v.store.DeleteConnection(ctx, name, version)
	if errors.Is(err, store.ErrChanged) {
		return connectionChanged(name)
	}
	return problem(err, fmt.Sprintf("connection %q", name))
}

// readsFrom reports whether a source is read from a connection.
func readsFrom(source view.SourceRef, connection string) bool {
	return source.Connection == connection || slices.ContainsFunc(source.Stack, func(s view.Stacked) bool { return s.Connection == connection })
}

// sealed checks what a connection says, and returns how it is kept.
func (v *Service) sealed(name string, a view.Access, password string) (body string, secret []byte, err error) {
	if err := v.checkAccess(a, password); err != nil {
		return "", nil, err
	}
	text, err := json.Marshal(a)
	if err != nil {
		return "", nil, err
	}
	if password != "" {
		if secret, err = v.vault.Seal(name, password); err != nil {
			return "", nil, view.Failed.New("The password cannot be kept: " + err.Error() + ".")
		}
	}
	return string(text), secret, nil
}

func (v *Service) checkAccess(a view.Access, password string) error {
	wrong := func(where, what string) error {
		return view.Invalid.New("The connection: "+what+".", view.Fault{Where: where, What: what})
	}
	c := sourceOf(a, password)
	if err := c.Check(); err != nil {
		return wrong("kind", err.Error())
	}
	switch {
	case a.Variable != "" && password != "":
		return wrong("password", "a password is given, and a variable that holds one; give one of them")
	case a.Variable != "" && (!strings.HasPrefix(a.Variable, secretVariables) || strings.ContainsAny(a.Variable, "= \x00")):
		return wrong("variable", fmt.Sprintf("%q is no variable that may hold a password; its name begins with %s", a.Variable, secretVariables))
	case a.Variable != "" && a.Kind == sources.SQLite:
		return wrong("variable", "an SQLite database has no password")
	case a.Limit < 0 || a.Limit > 86_400:
		return wrong("limit", fmt.Sprintf("a time limit of %d seconds is not between 1 and 86,400", a.Limit))
	}
	if a.Kind == sources.SQLite {
		_, err := v.fileInFolder(a.File)
		return err
	}
	return nil
}

func sourceOf(a view.Access, password string) sources.Connection {
	return sources.Connection{Kind: a.Kind, Host: a.Host, Port: a.Port, Database: a.Database, User: a.User, Password: password, TLS: a.TLS, File: a.File}
}

// fileInFolder is the path of a file in the service's folder, for what can only open paths. Neither .. nor a link leads
// out of the folder.
func (v *Service) fileInFolder(path string) (string, error) {
	f, err := v.openInFolder(path)
	if err != nil {
		return "", err
	}
	f.close()
	return filepath.EvalSymlinks(filepath.Join(v.options.Folder, filepath.FromSlash(path)))
}

// access returns how a connection is opened, with its secret, and how long its queries may take.
func (v *Service) access(ctx context.Context, name string) (c sources.Connection, limit time.Duration, err error) {
	row, err := v.store.Connection(ctx, name)
	if err != nil {
		return c, 0, problem(err, fmt.Sprintf("connection %q", name))
	}
	known, err := connectionOf(row)
	if err != nil {
		return c, 0, err
	}
	password := ""
	switch known.Password {
	case "kept":
		if password, err = v.vault.Open(name, row.Secret); err != nil {
			return c, 0, view.Unreachable.New(fmt.Sprintf("The password of the connection %q cannot be read: %s. Give the password again, or bring the key back.", name, err))
		}
	case "variable":
		var set bool
		if password, set = os.LookupEnv(known.Variable); !set {
			return c, 0, view.Unreachable.New(fmt.Sprintf("The variable %s, which holds the password of the connection %q, is not set where the service runs; set it and start the service again.", known.Variable, name))
		}
	}
	if c = sourceOf(known.Access, password); c.Kind == sources.SQLite {
		if c.File, err = v.fileInFolder(c.File); err != nil {
			return c, 0, err
		}
	}
	if limit = time.Duration(known.Limit) * time.Second; limit == 0 {
		limit = time.Hour
	}
	return c, limit, nil
}

// Tables lists the tables and views that a connection sees; that it can is the proof that the connection is good.
func (v *Service) Tables(ctx context.Context, name string) (*view.Tables, error) {
	c, _, err := v.access(ctx, name)
	if err != nil {
		return nil, err
	}
	tables, err := sources.Tables(ctx, c)
	if err != nil {
		return nil, unreadable("connection "+name, err)
	}
	return &view.Tables{Tables: tables}, nil
}
