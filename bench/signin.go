package main

import (
	"bufio"
	"context"
	"io"
	"strings"

	"twinsieve/client"
	"twinsieve/service/view"
)

// token is that of the person who measures, from the first start of a service on.
var token string

// signIn reads what a service prints as it starts: where it listens, and at its first start the link by which the first admin
// enters.
func signIn(out io.Reader) (c *client.Client, address string) {
	lines := bufio.NewScanner(out)
	link := ""
	for address == "" && lines.Scan() {
		if at := strings.Index(lines.Text(), "http"); strings.Contains(lines.Text(), "/enter/") {
			link = lines.Text()[at:]
		}
		_, address, _ = strings.Cut(lines.Text(), "listens on ")
	}
	must(lines.Err())
	if link != "" {
		c = client.New(address, "")
		_, err := c.Enter(context.Background(), link, view.Welcome{Name: "ines", Password: "as fast as it goes"})
		must(err)
		made, err := c.MakeToken(context.Background(), view.NewToken{Label: "bench"})
		must(err)
		token = made.Secret
	}
	return client.New(address, token), address
}
