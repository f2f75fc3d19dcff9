package effect_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"twinsieve/core/effect"
	"twinsieve/core/reading"
	"twinsieve/core/record/recordtest"
	"twinsieve/core/tray"
)

func chain(t *testing.T, texts ...string) reading.Chain {
	t.Helper()
	c, err := reading.Compile(reading.MustParse(texts...), tray.Left, nil)
	if err != nil {
		t.Fatal(err)
	}
	return c
}

func TestOf(t *testing.T) {
	table := recordtest.Table(t, []string{"x", "call"}, [][]string{{"", "MW-1"}, {"", "mw-1"}, {"", " MW-1"}, {"", "mw-1"}, {"", "Mw-1"}, {"", "MW-2"}, {"", "mw-2"}, {"", "A7"}, {"", ""}, {"", recordtest.Null}, {"", "  "}})
	for _, c := range []struct {
		before, after []string
		want          string
	}{
		{nil, []string{"ignore-case"}, "values 9 changed 5 emptied 0 unreadable 0, 8 to 5, 2 collide: mw-1 of MW-1|Mw-1|mw-1 3, mw-2 of MW-2|mw-2 2"},
		{nil, []string{"trim"}, "values 9 changed 1 emptied 1 unreadable 0, 8 to 6, 1 collide: MW-1 of  MW-1|MW-1 2"},
		{[]string{"trim"}, []string{"trim", "digits-only"}, "values 9 changed 8 emptied 0 unreadable 0, 6 to 3, 2 collide: 1 of MW-1|Mw-1|mw-1 3, 2 of MW-2|mw-2 2"},
		{[]string{"trim"}, []string{"trim", "capture ^MW"}, "values 9 changed 3 emptied 0 unreadable 5, 6 to 1, 1 collide: MW of MW-1|MW-2 2"},
		{[]string{"trim"}, []string{"trim"}, "values 9 changed 0 emptied 0 unreadable 0, 6 to 6, 0 collide: "},
	} {
		e, err := effect.Of(context.Background(), table, 1, chain(t, c.before...), chain(t, c.after...))
		if err != nil {
			t.Fatal(err)
		}
		var collisions []string
		for _, x := range e.Collisions {
			collisions = append(collisions, fmt.Sprintf("%s of %s %d", x.After, strings.Join(x.Before, "|"), x.Texts))
		}
		got := fmt.Sprintf("values %d changed %d emptied %d unreadable %d, %d to %d, %d collide: %s", e.Values, e.Changed, e.Emptied, e.Unreadable, e.Distinct[0], e.Distinct[1], e.Collided, strings.Join(collisions, ", "))
		if got != c.want {
			t.Errorf("%v after %v:\n%s, want\n%s", c.after, c.before, got, c.want)
		}
		for _, s := range e.Samples {
			if s.Before.State == s.After.State && string(s.Before.Text) == string(s.After.Text) {
				t.Errorf("%v: %q is shown and unchanged", c.after, s.Cell)
			}
		}
	}
}
