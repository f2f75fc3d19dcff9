package cli

import (
	"fmt"
	"strconv"

	"github.com/spf13/cobra"

	"twinsieve/service/view"
)

func newSchedule(root *rootFlags) *cobra.Command {
	n := view.NewSchedule{}
	var anyway, off bool
	cmd := &cobra.Command{
		Use:   "schedule SIEVE",
		Short: "Let a sieve run by itself: by the clock, or when files have come; say how that went",
		Long: `Let a sieve run by itself: by the clock, or when files of the service's folder that its sets are loaded from have come.

A file has come once its size and time stand still. Sets from the folder or from a database are loaded again first. Unless --anyway
is given, a run waits until both sides are newer than in the last one. What was missed while the service was down is caught up once.

The clock is that of --zone. A time that the clocks skip in spring does not fire on that day; one that comes twice in autumn fires
once, the first time.`,
		Example: `  twinsieve schedule "Berth billing" --cron "30 6 * * 1-5" --zone Europe/Stockholm
  twinsieve schedule "Berth billing" --watch
  twinsieve schedule "Berth billing" --off`,
		Args:              exactArgs(1, "the name of a sieve"),
		ValidArgsFunction: root.completeSieves,
		RunE: func(cmd *cobra.Command, args []string) error {
			if err := checkOutput(root.output); err != nil {
				return err
			}
			c := root.client()
			s, err := c.Schedule(cmd.Context(), args[0])
			if err != nil {
				return fromService(err)
			}
			if f := cmd.Flags(); f.Changed("cron") || f.Changed("watch") || f.Changed("zone") || f.Changed("anyway") || off {
				to := view.NewSchedule{Cron: s.Cron, Zone: s.Zone, Watch: s.Watch, Both: s.Both, Active: !off}
				if f.Changed("cron") {
					to.Cron = n.Cron
				}
				if f.Changed("zone") {
					to.Zone = n.Zone
				}
				if f.Changed("watch") {
					to.Watch = n.Watch
				}
				if f.Changed("anyway") {
					to.Both = !anyway
				}
				if s, err = c.SetSchedule(cmd.Context(), args[0], s.Version, to); err != nil {
					return fromService(err)
				}
			}
			p := newPrinter(cmd, root.output)
			next := ""
			if s.Next != nil {
				next = s.Next.Local().Format("2006-01-02 15:04")
			}
			if p.form != "table" {
				return p.rows([]string{"sieve", "active", "cron", "zone", "watch", "both", "next", "last"},
					[][]string{{args[0], strconv.FormatBool(s.Active), s.Cron, s.Zone, strconv.FormatBool(s.Watch), strconv.FormatBool(s.Both), next, s.Says}}, s)
			}
			if !s.Active {
				fmt.Fprintf(p.out, "%s does not run by itself.\n", args[0])
			} else {
				fmt.Fprintf(p.out, "%s runs by itself, on behalf of %s:\n", args[0], s.By)
				if s.Cron != "" {
					fmt.Fprintf(p.out, "  by the clock: %s in %s, next %s\n", s.Cron, s.Zone, next)
				}
				if s.Watch {
					fmt.Fprintln(p.out, "  when files have come")
				}
				if s.Both {
					fmt.Fprintln(p.out, "  once both sides are newer than in its last run")
				}
			}
			if s.Says != "" {
				fmt.Fprintf(p.out, "Last time, %s: %s\n", s.At.Local().Format("2006-01-02 15:04"), s.Says)
			}
			return nil
		},
	}
	f := cmd.Flags()
	f.StringVar(&n.Cron, "cron", "", "five fields: minute, hour, day of the month, month, day of the week")
	f.StringVar(&n.Zone, "zone", "", "time zone of the fields, such as Europe/Stockholm")
	f.BoolVar(&n.Watch, "watch", false, "when files have come")
	f.BoolVar(&anyway, "anyway", false, "also where not both sides are newer than in the last run")
	f.BoolVar(&off, "off", false, "no longer")
	return cmd
}
