package view

import (
	"time"

	"twinsieve/sources"
)

// Connection is a database that record sets are read from. Its password is never part of it.
type Connection struct {
	Name string `json:"name"`
	Access
	Password string    `json:"password" enum:"none,kept,variable" description:"Whether there is a password: kept here, encrypted, or in a variable."`
	Version  int       `json:"version"`
	Updated  time.Time `json:"updated"`
}

// Access is where a database is, and as whom it is read.
type Access struct {
	Kind     string `json:"kind" required:"true" enum:"postgresql,mariadb,sqlite" description:"Kind of the database; mariadb is MySQL, too."`
	Host     string `json:"host,omitempty"`
	Port     int    `json:"port,omitempty" description:"The usual one of the kind where not stated."`
	Database string `json:"database,omitempty"`
	User     string `json:"user,omitempty"`
	TLS      string `json:"tls,omitempty" enum:"off,on,verify" description:"Whether the way there is encrypted, and whether the host must prove who it is; off where not stated."`
	File     string `json:"file,omitempty" description:"Of SQLite, and nothing else of it: file in the folder that the service may read."`
	Variable string `json:"variable,omitempty" description:"Environment variable of the service that holds the password; its name begins with TWINSIEVE_SECRET_."`
	Limit    int    `json:"limit,omitempty" description:"Seconds that a query may take; 3,600 where not stated."`
}

// Connections is the list of connections.
type Connections struct {
	Connections []Connection `json:"connections" nullable:"false"`
}

// Tables are the tables and views that a connection sees.
type Tables struct {
	Tables []sources.Table `json:"tables" nullable:"false"`
}
