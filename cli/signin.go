package cli

import (
	"bufio"
	"context"
	"fmt"
	"net/url"
	"os"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"twinsieve/client"
	"twinsieve/service/view"
)

type signing struct {
	name, link, label string
	days              int
	stdin             bool
}

func newSignin(root *rootFlags) *cobra.Command {
	s := &signing{}
	cmd := &cobra.Command{
		Use:   "signin",
		Short: "Sign in, so that commands act for you",
		Long: `Sign in with name and password, or by a one-time link, so that commands act for you.

What is kept is no password but a token, in a file that only you can read. It works for the service it was made by and until
the day that --days says. Programs are given one by TWINSIEVE_TOKEN instead.`,
		Example: `  twinsieve signin --name ines
  twinsieve signin --link http://127.0.0.1:8646/enter/4M2K…   # as the service prints it at its first start`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error { return s.run(cmd, root) },
	}
	f := cmd.Flags()
	f.StringVar(&s.name, "name", "", "your name")
	f.StringVar(&s.link, "link", "", "one-time link instead of a password that you have already")
	f.StringVar(&s.label, "label", "", "what the token is called in the list of your tokens (default: command line, and this machine)")
	wholeNumberVar(f, &s.days, "days", 0, 1, 366, "how long the token works: 1 to 366 days (default 90)")
	f.BoolVar(&s.stdin, "password-stdin", false, "read the password from standard input")
	return cmd
}

func (s *signing) run(cmd *cobra.Command, root *rootFlags) error {
	address := serverAddress(root.server)
	if s.link != "" && root.server == "" {
		if u, err := url.Parse(s.link); err == nil && u.Host != "" {
			address = u.Scheme + "://" + u.Host
		}
	}
	c := client.New(address, "")
	person, err := s.enter(cmd, c)
	if err != nil {
		return fromService(err)
	}
	if s.label == "" {
		host, err := os.Hostname()
		if err != nil {
			host = "a machine without a name"
		}
		s.label = "command line at " + host
	}
	token, err := c.MakeToken(cmd.Context(), view.NewToken{Label: s.label, Days: s.days})
	if err != nil {
		return fromService(err)
	}
	if err := changeTokens(func(all map[string]kept) { all[address] = kept{token.Secret, token.ID, person.Name} }); err != nil {
		return err
	}
	if err := c.SignOut(cmd.Context()); err != nil { // the session; the token stays
		return fromService(err)
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "signed in at %s as %s, %s, until %s\n", address, person.Name, person.Role, token.Expires.Local().Format("2006-01-02"))
	return nil
}

// enter signs in by link, or by name and password.
func (s *signing) enter(cmd *cobra.Command, c *client.Client) (view.Person, error) {
	ctx := cmd.Context()
	var known view.OneTime
	if s.link != "" {
		var err error
		if known, err = c.OneTime(ctx, s.link); err != nil {
			return view.Person{}, err
		}
		if known.Kind == "entry" {
			return c.Enter(ctx, s.link, view.Welcome{})
		}
	}
	in := bufio.NewReader(cmd.InOrStdin())
	if known.Name != "" {
		s.name = known.Name
	}
	if s.name == "" {
		if s.stdin || !term.IsTerminal(int(os.Stdin.Fd())) {
			return view.Person{}, wrongRequest("say who signs in: give --name, or --link with a link that was sent to you")
		}
		fmt.Fprint(cmd.ErrOrStderr(), "Name: ")
		line, err := in.ReadString('\n')
		if err != nil {
			return view.Person{}, broken("the name cannot be read: %s", err)
		}
		s.name = strings.TrimSpace(line)
	}
	password, err := s.password(cmd, in)
	if err != nil {
		return view.Person{}, err
	}
	if s.link != "" {
		return c.Enter(ctx, s.link, view.Welcome{Name: s.name, Password: password})
	}
	return c.SignIn(ctx, s.name, password)
}

func (s *signing) password(cmd *cobra.Command, in *bufio.Reader) (string, error) {
	if s.stdin {
		line, err := in.ReadString('\n')
		if err != nil && line == "" {
			return "", wrongRequest("standard input holds no password")
		}
		return strings.TrimRight(line, "\r\n"), nil
	}
	if !term.IsTerminal(int(os.Stdin.Fd())) {
		return "", wrongRequest("there is no terminal to ask for the password on; give it with --password-stdin")
	}
	what := "Password: "
	if s.link != "" {
		what = "A password for " + s.name + " from now on: "
	}
	fmt.Fprint(cmd.ErrOrStderr(), what)
	text, err := term.ReadPassword(int(os.Stdin.Fd()))
	fmt.Fprintln(cmd.ErrOrStderr())
	if err != nil {
		return "", broken("the password cannot be read: %s", err)
	}
	return string(text), nil
}

func newSignout(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:     "signout",
		Short:   "Sign out: revoke the token that signin has made, and forget it",
		Example: `  twinsieve signout`,
		Args:    exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			address := serverAddress(root.server)
			tokens, err := readTokens()
			if err != nil {
				return err
			}
			k, ok := tokens[address]
			if !ok {
				return wrongRequest("nobody is signed in at %s", address)
			}
			// Forgotten in any case: a token that the service knows no longer, or cannot be asked about, is of no use here.
			revoked := client.New(address, k.Token).RevokeToken(context.WithoutCancel(cmd.Context()), k.ID)
			if err := changeTokens(func(all map[string]kept) { delete(all, address) }); err != nil {
				return err
			}
			if revoked != nil {
				return fromService(fmt.Errorf("the token is forgotten here, but was not revoked: %w", revoked))
			}
			fmt.Fprintf(cmd.ErrOrStderr(), "%s is signed out at %s\n", k.Name, address)
			return nil
		},
	}
}
