package cli

import (
	"cmp"
	"errors"
	"fmt"
	"path/filepath"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"twinsieve/client"
	"twinsieve/service/summary"
	"twinsieve/service/view"
)

type triaging struct {
	q                  client.Query
	set, give, because string
	comment, over      string
	files, entries     []string
	undo               uint
	preview            bool
	count              int64
}

func newTriage(root *rootFlags) *cobra.Command {
	t := &triaging{}
	cmd := &cobra.Command{
		Use:   "triage [RUN | SIEVE]",
		Short: "Work on a report's exceptions: status, owner, reason, comments and files; undo what was done",
		Long: `Work on a report's exceptions.

All that are chosen are changed as one action, which --undo takes back. What others have changed since the list was read stops
the whole change, unless --over says that it is skipped or overwritten.`,
		Example: `  twinsieve triage "Berth billing" --tray differing --at-most 1 --set explained --because rounding
  twinsieve triage 3 --status open --owner nobody --give tam.okoro --preview
  twinsieve triage 3 --entry 17 --comment "@tam.okoro, was there a second tug?" --file slip.pdf
  twinsieve triage 3 --undo 5`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE:              func(cmd *cobra.Command, args []string) error { return t.run(cmd, root, strings.Join(args, "")) },
	}
	chooseFlags(cmd, &t.q)
	f := cmd.Flags()
	f.StringSliceVar(&t.entries, "entry", nil, "only the entries of these ids, as the report lists them")
	oneOfVar(f, &t.set, "set", "", statuses, "set the status: "+strings.Join(statuses, ", "))
	f.StringVar(&t.give, "give", "", "the owner that they get; me, or nobody")
	f.StringVar(&t.because, "because", "", "the reason that they get, one of the list; or none")
	oneOfVar(f, &t.over, "over", "", []string{"skip", "overwrite"}, "if someone else changed an exception: skip or overwrite")
	f.StringVar(&t.comment, "comment", "", "say something about the one entry; @ and a name mentions a person")
	f.StringSliceVar(&t.files, "file", nil, "put a file to the one entry")
	f.BoolVar(&t.preview, "preview", false, "print how many exceptions are chosen, and change nothing")
	wholeNumberVar(f, &t.count, "count", 0, 0, 0, "change nothing unless exactly `N` exceptions are chosen")
	wholeNumberVar(f, &t.undo, "undo", 0, 1, 0, "undo action `N`")
	return cmd
}

func (t *triaging) run(cmd *cobra.Command, root *rootFlags, which string) error {
	ctx, c := cmd.Context(), root.client()
	run, err := findRun(cmd, c, which)
	if err != nil {
		return err
	}
	if t.undo > 0 {
		done, err := c.Undo(ctx, run.ID, t.undo)
		if err != nil {
			return fromService(err)
		}
		fmt.Fprintf(cmd.ErrOrStderr(), "undone: %s; %d of %d stay as they are, for they have been changed since\n", done.Says, done.Kept, done.Changed)
		return nil
	}
	var change view.WorkChange
	for text, into := range map[*string]**string{&t.set: &change.Status, &t.give: &change.Owner, &t.because: &change.Reason} {
		if *text != "" {
			*into = text
		}
	}
	empty := ""
	if t.give == "nobody" {
		change.Owner = &empty
	}
	if t.because == "none" {
		change.Reason = &empty
	}
	speaks := t.comment != "" || len(t.files) > 0
	changes := change.Status != nil || change.Owner != nil || change.Reason != nil
	switch {
	case !speaks && !changes:
		return wrongRequest("nothing is to be done; say what with --set, --give, --because, --comment, --file or --undo")
	case speaks && len(t.entries) != 1:
		return wrongRequest("--comment and --file are about one entry; name it with --entry")
	case changes && len(t.entries) == 0 && !narrowed(&t.q):
		return wrongRequest("all exceptions would be changed; choose some, such as with --tray, --status or --entry, or all with --status open,in-progress,explained,settled")
	}
	if speaks {
		if err := t.speak(cmd, c, run.ID); err != nil {
			return err
		}
	}
	if !changes {
		return nil
	}
	t.q.Limit = 1
	page, err := c.Entries(ctx, run.ID, t.q)
	if err != nil {
		return fromService(err)
	}
	count := page.Total
	if len(t.entries) > 0 {
		count = int64(len(t.entries))
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s chosen in report %d\n", summary.Count(count, "exception"), run.ID)
	if t.preview {
		return nil
	}
	if cmd.Flags().Changed("count") {
		count = t.count
	}
	done, err := c.ChangeEntries(ctx, run.ID, t.q, view.BulkChange{WorkChange: change, Count: count, Seen: page.Seen, Over: t.over, Entries: t.entries})
	if err != nil {
		return fromService(err)
	}
	if done.Changed == 0 {
		fmt.Fprintf(cmd.ErrOrStderr(), "Nothing changed: %s already as asked\n", areAlready(count))
		return nil
	}
	fmt.Fprintf(cmd.ErrOrStderr(), "%s changed: %s; to undo it: twinsieve triage %d --undo %d\n", summary.Count(done.Changed, "exception"), done.Says, run.ID, done.ID)
	return nil
}

// areAlready says of a number of exceptions that they are.
func areAlready(n int64) string {
	if n == 1 {
		return "the exception is"
	}
	return fmt.Sprintf("all %s exceptions are", summary.Number(n))
}

func (t *triaging) speak(cmd *cobra.Command, c *client.Client, run uint) error {
	if t.comment != "" {
		if _, err := c.Comment(cmd.Context(), run, t.entries[0], t.comment); err != nil {
			return fromService(err)
		}
	}
	for _, name := range t.files {
		f, err := openFile(name)
		if err != nil {
			return err
		}
		_, err = c.Attach(cmd.Context(), run, t.entries[0], filepath.Base(name), f)
		if err = errors.Join(err, f.Close()); err != nil {
			return fromService(err)
		}
	}
	return nil
}

func newExceptions(root *rootFlags) *cobra.Command {
	var mine, unowned, mentions, largest bool
	var sieve, after string
	var limit int
	cmd := &cobra.Command{
		Use:   "exceptions",
		Short: "List what is open over all sieves, the oldest first",
		Example: `  twinsieve exceptions --mine
  twinsieve exceptions --unowned --largest --limit 10`,
		Args: exactArgs(0, "no arguments"),
		RunE: func(cmd *cobra.Command, _ []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			of, sort := "all", "age"
			for name, asked := range map[string]bool{"mine": mine, "unowned": unowned, "mentions": mentions} {
				if asked {
					of = name
				}
			}
			if largest {
				sort = "amount"
			}
			var list view.Overview
			all, next, err := paged(after, limit, func(after string, most int) (_ []view.Pending, _ string, err error) {
				list, err = root.client().Pending(cmd.Context(), of, sieve, sort, after, most)
				return list.Exceptions, list.Next, err
			})
			if err != nil {
				return fromService(err)
			}
			list.Exceptions, list.Next = all, next
			var rows [][]string
			p := newPrinter(cmd, root.output)
			for _, x := range list.Exceptions {
				rows = append(rows, []string{x.Sieve, strconv.FormatUint(uint64(x.Run), 10), x.Entry.ID, x.Entry.Tray.String(), shownEntry(&x.Entry), strings.TrimSpace(x.Entry.Work.Amount + " " + x.Entry.Work.Currency), x.Entry.Status, x.Entry.Work.Owner, x.Entry.Work.Opened.Local().Format("2006-01-02")})
			}
			if err := p.rows([]string{"sieve", "report", "entry", "tray", "key", "amount", "status", "owner", "found first"}, rows, list, 1, 2, 5); err != nil {
				return err
			}
			if p.form == "table" {
				fmt.Fprintf(p.out, "%s of %s; %s are yours, %s nobody's\n", p.count(int64(len(rows))), p.count(list.Total), p.count(list.Mine), p.count(list.Unowned))
			}
			p.more(cmd, list.Next)
			return nil
		},
	}
	f := cmd.Flags()
	f.BoolVar(&mine, "mine", false, "only yours")
	f.BoolVar(&unowned, "unowned", false, "only nobody's")
	f.BoolVar(&mentions, "mentions", false, "only those in which you are mentioned and have not looked since")
	f.BoolVar(&largest, "largest", false, "the largest first")
	f.StringVar(&sieve, "sieve", "", "only those of this sieve")
	f.StringVar(&after, "after", "", "cursor of the next page")
	wholeNumberVar(f, &limit, "limit", 50, 1, mostListed, "show at most `N`")
	cmd.MarkFlagsMutuallyExclusive("mine", "unowned", "mentions")
	return cmd
}

func newTrend(root *rootFlags) *cobra.Command {
	return &cobra.Command{
		Use:               "trend SIEVE",
		Short:             "Show how a sieve's exceptions went from run to run",
		Example:           `  twinsieve trend "Berth billing"`,
		Args:              exactArgs(1, "the name of a sieve"),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			trend, err := root.client().Trend(cmd.Context(), args[0])
			if err != nil {
				return fromService(err)
			}
			headings := []string{"run", "report", "finished", "differing", "missing", "orphaned", "surplus", "unkeyed", "reject", "absent", "open", "amounts open", "settled", "days"}
			var rows [][]string
			p := newPrinter(cmd, root.output)
			for _, r := range trend.Runs {
				row := []string{strconv.Itoa(r.Number), strconv.FormatUint(uint64(r.Run), 10), r.At.Local().Format("2006-01-02 15:04")}
				for _, tray := range headings[3:10] {
					row = append(row, p.count(r.Trays[tray]))
				}
				rows = append(rows, append(row, p.count(r.Open), amountsText(r.Amounts), p.count(r.Settled), strconv.FormatFloat(r.Days, 'f', 1, 64)))
			}
			return p.rows(headings, rows, trend, 0, 1, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13)
		},
	}
}

// amountsText writes amounts with their currencies.
func amountsText(list []view.CurrencyAmount) string {
	var texts []string
	for _, a := range list {
		texts = append(texts, strings.TrimSpace(a.Amount+" "+a.Currency))
	}
	return cmp.Or(strings.Join(texts, ", "), "0")
}

func newSignoff(root *rootFlags) *cobra.Command {
	var submit, sign bool
	var note, back, reopen string
	cmd := &cobra.Command{
		Use:   "signoff [RUN | SIEVE]",
		Short: "Say how far a report is on its way to being signed; submit it, sign it, send it back or reopen it",
		Example: `  twinsieve signoff "Berth billing" --submit --note "the tugs of the 17th wait for the agent"
  twinsieve signoff 4 --sign --note "agreed with the agent for next month"
  twinsieve signoff 4 --send-back "the tugs of the 17th are not explained"`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			run, err := findRun(cmd, c, strings.Join(args, ""))
			if err != nil {
				return err
			}
			o, err := c.SignOff(cmd.Context(), run.ID)
			if err != nil {
				return fromService(err)
			}
			var step view.SignStep
			switch {
			case submit:
				step = view.SignStep{Step: "submit", Note: note}
			case sign:
				step = view.SignStep{Step: "sign", Note: note}
			case cmd.Flags().Changed("note"):
				return wrongRequest("--note goes with --submit or --sign; to send a report back or reopen it, write the reason behind that option")
			case cmd.Flags().Changed("send-back"):
				step = view.SignStep{Step: "send-back", Note: back}
			case cmd.Flags().Changed("reopen"):
				step = view.SignStep{Step: "reopen", Note: reopen}
			}
			if step.Step != "" {
				if o, err = c.Sign(cmd.Context(), run.ID, o.Version, step); err != nil {
					return fromService(err)
				}
			}
			p := newPrinter(cmd, root.output)
			if p.form == "table" {
				fmt.Fprintf(p.out, "%s, run %d (report %d): %s\n", run.Sieve, run.Number, run.ID, o.Says)
				if o.Open > 0 {
					fmt.Fprintf(p.out, "%s still open\n", summary.Count(o.Open, "exception"))
				}
				return nil
			}
			return p.rows([]string{"report", "state", "preparer", "reviewer", "note", "open"}, [][]string{{strconv.FormatUint(uint64(run.ID), 10), o.State, o.Preparer, o.Reviewer, o.Note, p.count(o.Open)}}, o, 5)
		},
	}
	f := cmd.Flags()
	f.BoolVar(&submit, "submit", false, "submit it, so that somebody else signs it")
	f.BoolVar(&sign, "sign", false, "sign what somebody else has submitted")
	f.StringVar(&note, "note", "", "why it is submitted or signed while exceptions are open")
	f.StringVar(&back, "send-back", "", "send it back, and why")
	f.StringVar(&reopen, "reopen", "", "open it again, and why")
	cmd.MarkFlagsMutuallyExclusive("submit", "sign", "send-back", "reopen")
	return cmd
}
