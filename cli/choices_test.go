package cli

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/spf13/cobra"
)

// stated runs a command with the options of load, and returns what they state as JSON.
func stated(args ...string) (string, error) {
	var choices choiceFlags
	var control controlFlags
	out := ""
	cmd := &cobra.Command{Use: "x", SilenceErrors: true, SilenceUsage: true, RunE: func(cmd *cobra.Command, _ []string) error {
		c, err := choices.choices(cmd)
		if err != nil {
			return err
		}
		figures, err := control.control(cmd)
		if err != nil {
			return err
		}
		text, err := json.Marshal([]any{c, figures})
		out = string(text)
		return err
	}}
	choices.add(cmd, "")
	control.add(cmd)
	cmd.SetArgs(args)
	return out, cmd.Execute()
}

func TestChoices(t *testing.T) {
	for _, c := range []struct {
		args string
		want string
		err  string
	}{
		{"", "[{},null]", ""},
		{`--delimiter ; --encoding latin1`, "", `--encoding: "latin1" is not an encoding that is read`},
		{`--delimiter \t --header none`, `[{"delimiter":"\t","header":"none"},null]`, ""},
		{`--encoding WINDOWS-1252 --no-quotes`, `[{"encoding":"windows-1252","noQuotes":true},null]`, ""},
		{`--footer TOTAL --footer END`, `[{"footers":["TOTAL","END"]},null]`, ""},
		{`--footer none`, `[{"footers":[]},null]`, ""},
		{`--type a=b=integer --blank n/a --blank -`, `[{"types":{"a=b":"integer"},"blanks":["n/a","-"]},null]`, ""},
		{`--type integer`, "", `--type "integer" is not COLUMN=TYPE`},
		{`--type a=whole`, "", `--type: column "a": "whole" is no type`},
		{`--skip-first -1`, "", `takes 0 to 10,000, not -1`},
		{`--format pdf`, "", `does not take "pdf"; write one of delimited`},
		{`--compute s=a+b==c`, `[{"computed":[{"name":"s","expression":"a+b==c"}]},null]`, ""},
		{`--compute s`, "", `--compute "s" is not NAME=EXPRESSION`},
		{`--compute =a`, "", `is not NAME=EXPRESSION`},
		{`--count 0`, `[{},{"count":0}]`, ""},
		{`--total a=b=1.50 --total c=2`, `[{},{"totals":[{"column":"a=b","total":"1.50"},{"column":"c","total":"2"}]}]`, ""},
		{`--total 1.50`, "", `--total "1.50" is not COLUMN=TOTAL`},
		{`--trailer TRAILER:_count_2,_total_3_of_amount_due`, `[{},{"trailer":{"starts":"TRAILER","count":2,"total":3,"column":"amount_due"}}]`, ""},
		{`--trailer T:_total_3_of_Amount`, `[{},{"trailer":{"starts":"T","total":3,"column":"Amount"}}]`, ""},
		{`--trailer TRL:_count_4-9,_total_10-19_of_cents`, `[{},{"trailer":{"starts":"TRL","column":"cents","countAt":"4-9","totalAt":"10-19"}}]`, ""},
		{`--trailer T:_count_9-4`, "", `is not understood`},
		{`--trailer TRAILER`, "", `--trailer "TRAILER" is not understood`},
		{`--trailer T:_count`, "", `is not understood`},
		{`--trailer T:_count_0`, "", `is not understood`},
		{`--trailer T:_count_1_of_a`, "", `is not understood`},
		{`--trailer T:_total_1`, "", `is not understood`},
		{`--trailer T:_sum_1_of_a`, "", `is not understood`},
	} {
		var args []string
		for _, a := range strings.Fields(c.args) {
			if strings.Contains(a, ":_") { // which stand for spaces
				a = strings.ReplaceAll(strings.ReplaceAll(a, "amount_due", "amount=due"), "_", " ")
				a = strings.ReplaceAll(a, "amount=due", "amount_due")
			}
			args = append(args, a)
		}
		got, err := stated(args...)
		if c.err != "" {
			if err == nil || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: %s, %v, want %q", c.args, got, err, c.err)
			}
			continue
		}
		if err != nil || got != c.want {
			t.Errorf("%s: %s, %v, want %s", c.args, got, err, c.want)
		}
	}
}
