package cli

import (
	"errors"
	"fmt"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/view"
)

func newPeople(root *rootFlags) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "people",
		Short: "List who can sign in; add and change people",
		Example: `  twinsieve people
  twinsieve people add tam --full-name "Tam Okoro" --role analyst
  twinsieve people change tam --role reader
  twinsieve people link tam`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			list, err := root.client().People(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			for _, p := range list.People {
				state := "active"
				switch {
				case !p.Active:
					state = "inactive"
				case p.Waiting:
					state = "has no password yet"
				}
				rows = append(rows, []string{p.Name, p.FullName, string(p.Role), state, p.Created.Local().Format("2006-01-02")})
			}
			return newPrinter(cmd, root.output).rows([]string{"name", "full name", "role", "state", "since"}, rows, list)
		},
	}
	var added view.NewPerson
	add := &cobra.Command{
		Use: "add NAME", Short: "Add a person, and print the link by which they set a password", Args: exactArgs(1, "the person's name"),
		Example: `  twinsieve people add tam --full-name "Tam Okoro" --role analyst`,
		RunE: func(cmd *cobra.Command, args []string) error {
			added.Name = args[0]
			p, err := root.client().AddPerson(cmd.Context(), added)
			return invited(cmd, root, p, err)
		},
	}
	add.Flags().StringVar(&added.FullName, "full-name", "", "full name (default: the name)")
	oneOfVar(add.Flags(), (*string)(&added.Role), "role", "analyst", roles, "role: reader, analyst or admin")
	var role, full string
	var active bool
	change := &cobra.Command{
		Use: "change NAME", Short: "Change a person's full name and role, and whether they can sign in", Args: exactArgs(1, "the person's name"),
		Example: `  twinsieve people change tam --role reader
  twinsieve people change tam --active=false`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c := root.client()
			list, err := c.People(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			for _, p := range list.People {
				if p.Name != args[0] {
					continue
				}
				to := view.PersonChange{FullName: p.FullName, Role: p.Role, Active: p.Active}
				if cmd.Flags().Changed("full-name") {
					to.FullName = full
				}
				if role != "" {
					to.Role = view.Role(role)
				}
				if cmd.Flags().Changed("active") {
					to.Active = active
				}
				if p, err = c.ChangePerson(cmd.Context(), p.Name, p.Version, to); err != nil {
					return fromService(err)
				}
				fmt.Fprintf(cmd.ErrOrStderr(), "%s is now %s\n", p.Name, p.Role)
				return nil
			}
			return wrongRequest("there is no person %q; twinsieve people lists them", args[0])
		},
	}
	change.Flags().StringVar(&full, "full-name", "", "full name")
	oneOfVar(change.Flags(), &role, "role", "", roles, "role: reader, analyst or admin")
	change.Flags().BoolVar(&active, "active", true, "whether they can sign in")
	link := &cobra.Command{
		Use: "link NAME", Short: "Print a new link by which a person sets a password", Args: exactArgs(1, "the person's name"), Example: `  twinsieve people link tam`,
		RunE: func(cmd *cobra.Command, args []string) error {
			p, err := root.client().Invite(cmd.Context(), args[0])
			return invited(cmd, root, p, err)
		},
	}
	cmd.AddCommand(add, change, link)
	return cmd
}

func invited(cmd *cobra.Command, root *rootFlags, p view.Invited, err error) error {
	if err != nil {
		return fromService(err)
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "Give %s this link. It works once, until %s:\n", p.Person.Name, p.Ends.Local().Format("2006-01-02 15:04"))
	fmt.Fprintln(cmd.OutOrStdout(), serverAddress(root.server)+p.Link)
	return nil
}

func newTokens(root *rootFlags) *cobra.Command {
	cmd := &cobra.Command{
		Use:   "tokens",
		Short: "List your tokens for programs; make and revoke them",
		Example: `  twinsieve tokens
  twinsieve tokens make nightly --days 30
  twinsieve tokens revoke 4`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			list, err := root.client().Tokens(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			var rows [][]string
			for _, t := range list.Tokens {
				seen := "never"
				if t.Seen != nil {
					seen = t.Seen.Local().Format("2006-01-02")
				}
				rows = append(rows, []string{strconv.FormatUint(uint64(t.ID), 10), t.Label, t.Created.Local().Format("2006-01-02"), t.Expires.Local().Format("2006-01-02"), seen})
			}
			return newPrinter(cmd, root.output).rows([]string{"token", "label", "made", "ends", "used last"}, rows, list, 0)
		},
	}
	var days int
	signing := &signing{}
	make := &cobra.Command{
		Use: "make LABEL", Short: "Make a token and print it, once; it asks for your password", Args: exactArgs(1, "a label that says what it is for"), Example: `  twinsieve tokens make nightly --days 30`,
		RunE: func(cmd *cobra.Command, args []string) error {
			c := root.client()
			me, err := c.Me(cmd.Context())
			if err != nil {
				return fromService(err)
			}
			// A token makes no tokens, so the command signs in for this one.
			signing.name = me.Name
			signed := client.New(serverAddress(root.server), "")
			if _, err := signing.enter(cmd, signed); err != nil {
				return fromService(err)
			}
			t, err := signed.MakeToken(cmd.Context(), view.NewToken{Label: args[0], Days: days})
			if err = errors.Join(err, signed.SignOut(cmd.Context())); err != nil {
				return fromService(err)
			}
			fmt.Fprintf(cmd.ErrOrStderr(), "It works until %s, and is not shown again:\n", t.Expires.Local().Format("2006-01-02"))
			fmt.Fprintln(cmd.OutOrStdout(), t.Secret)
			return nil
		},
	}
	make.Flags().BoolVar(&signing.stdin, "password-stdin", false, "read the password from standard input")
	wholeNumberVar(make.Flags(), &days, "days", 0, 1, 366, "how long the token works: 1 to 366 days (default 90)")
	revoke := &cobra.Command{
		Use: "revoke TOKEN", Short: "End a token", Args: exactArgs(1, "the number of a token"), Example: `  twinsieve tokens revoke 4`,
		RunE: func(cmd *cobra.Command, args []string) error {
			id, err := strconv.ParseUint(args[0], 10, 32)
			if err != nil {
				return wrongRequest("%q is not the number of a token; twinsieve tokens lists them", args[0])
			}
			return fromService(root.client().RevokeToken(cmd.Context(), uint(id)))
		},
	}
	cmd.AddCommand(make, revoke)
	return cmd
}

func newHistory(root *rootFlags) *cobra.Command {
	var kind, subject, person, after string
	var limit int
	cmd := &cobra.Command{
		Use:   "history",
		Short: "Show who did what and when, the newest first",
		Example: `  twinsieve history --kind sieve --subject "Berth billing"
  twinsieve history --person tam --limit 20`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			var list view.History
			all, next, err := paged(after, limit, func(after string, most int) (_ []view.Event, _ string, err error) {
				list, err = root.client().History(cmd.Context(), kind, subject, person, after, most)
				return list.Events, list.Next, err
			})
			if err != nil {
				return fromService(err)
			}
			list.Events, list.Next = all, next
			var rows [][]string
			for _, e := range list.Events {
				who := e.Person
				if who == "" {
					who = "the service"
				}
				rows = append(rows, []string{strconv.FormatInt(e.Seq, 10), e.At.Local().Format("2006-01-02 15:04:05"), who, e.Says})
			}
			p := newPrinter(cmd, root.output)
			if err := p.rows([]string{"entry", "when", "who", "what"}, rows, list, 0); err != nil {
				return err
			}
			p.more(cmd, list.Next)
			return nil
		},
	}
	f := cmd.Flags()
	oneOfVar(f, &kind, "kind", "", kinds, "only entries about: "+strings.Join(kinds, ", "))
	f.StringVar(&subject, "subject", "", "only of the thing of this name")
	f.StringVar(&person, "person", "", "only what this person did")
	f.StringVar(&after, "after", "", "the page behind this entry")
	wholeNumberVar(f, &limit, "limit", 50, 1, mostListed, "show at most `N` entries")
	return cmd
}

func newVerify(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:   "verify [STATED...]",
		Short: "Check that the history is whole, and that what hand-overs state of it is still there",
		Long: `Check that no entry of the history was altered, added in between or taken out: each carries the hash of the one before.

Every hand-over states the newest entry at its time, as a number and the beginning of a hash. Given here, it must still be in
the history: that is how an end that was taken off is found.`,
		Example: `  twinsieve verify
  twinsieve verify 57-3fa2b8c1d0e4f5a6`,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			found, err := root.client().Verify(cmd.Context(), args)
			if err != nil {
				return fromService(err)
			}
			p := newPrinter(cmd, root.output)
			if p.form == "table" {
				fmt.Fprintln(p.out, found.Says)
				if found.Newest != "" {
					fmt.Fprintf(p.out, "newest entry: %s\n", found.Newest)
				}
			} else if err := p.rows([]string{"holds", "entries", "newest", "broken"}, [][]string{{strconv.FormatBool(found.Holds), strconv.FormatInt(found.Entries, 10), found.Newest, strconv.FormatInt(found.Broken, 10)}}, found); err != nil {
				return err
			}
			if !found.Holds {
				return &failure{status: exitExceptions, err: fmt.Errorf("the history does not hold from entry %d on", found.Broken)}
			}
			return nil
		},
	}
}
