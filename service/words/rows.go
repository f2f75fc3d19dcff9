package words

import (
	"fmt"
	"strings"

	"twinsieve/core/comparison"
	"twinsieve/core/tray"
	"twinsieve/service/summary"
)

// Looked is what a sentence about rows has to know.
type Looked struct {
	Choice comparison.Choice
	Sets   [2]string
	Kept   [2]int64         // records of each side that take part
	Count  comparison.Count // of the comparison
	Semi   [2]int64         // records of each side that have a partner
}

// Rows says in plain words what a comparison keeps of two sets, with their names and counts.
func Rows(l Looked) string {
	names := l.Sets
	if names[0] == names[1] {
		names = [2]string{names[0] + " (left)", names[1] + " (right)"}
	}
	lone := [2]int64{l.Kept[0] - l.Semi[0], l.Kept[1] - l.Semi[1]}
	rows := summary.Count(l.Count.Rows, "row")
	if l.Choice.ByTray {
		if l.Choice.Tray.Paired() {
			return fmt.Sprintf("The pairs of %s and %s that are %s.", names[0], names[1], l.Choice.Tray)
		}
		return fmt.Sprintf("The records of %s that are %s.", names[l.Choice.Side], l.Choice.Tray)
	}
	if l.Choice.Dropped {
		s := l.Choice.Side
		return fmt.Sprintf("The %s of %s that %s leaves out.", summary.Count(l.Count.Dropped[s], "record"), names[s], l.Choice.Comparison)
	}
	var out []string
	say := func(format string, args ...any) { out = append(out, fmt.Sprintf(format, args...)) }
	without := func(s tray.Side) {
		if n := lone[s]; n > 0 {
			say("%s of %s %s no partner.", summary.Count(n, "record"), names[s], have(n))
		}
	}
	leaves := func(s tray.Side) {
		if n := l.Count.Dropped[s]; n > 0 {
			say("%s of %s %s no partner and %s left out.", summary.Count(n, "record"), names[s], have(n), are(n))
		}
	}
	switch n := l.Choice.Comparison; n {
	case comparison.Full:
		say("All of %s and all of %s, what pairs side by side: %s.", names[0], names[1], rows)
		without(tray.Left)
		without(tray.Right)
	case comparison.Inner:
		say("Only what pairs of %s and %s: %s.", names[0], names[1], rows)
		leaves(tray.Left)
		leaves(tray.Right)
	case comparison.Left, comparison.Right:
		s := tray.Left
		if n == comparison.Right {
			s = tray.Right
		}
		say("All of %s, with what pairs of %s beside it: %s.", names[s], names[s.Other()], rows)
		without(s)
		leaves(s.Other())
	case comparison.LeftSemi, comparison.RightSemi:
		s := side(n)
		say("The %s of %s that %s a partner in %s, each once.", summary.Count(l.Count.Rows, "record"), names[s], have(l.Count.Rows), names[s.Other()])
		leaves(s)
	case comparison.LeftAnti, comparison.RightAnti:
		s := side(n)
		say("The %s of %s that %s no partner in %s.", summary.Count(l.Count.Rows, "record"), names[s], have(l.Count.Rows), names[s.Other()])
	case comparison.FullAnti:
		say("All that has no partner, in one list: %s of %s and %s of %s.", summary.Count(lone[0], "record"), names[0], summary.Count(lone[1], "record"), names[1])
	case comparison.Separate:
		say("%s", apart(l.Choice.Kept, names, l.Kept, l.Semi))
	case comparison.Cross:
		say("Every record of %s with every record of %s, whatever their keys: %s.", names[0], names[1], rows)
	case comparison.ByPosition:
		say("The records of %s and %s side by side in the order in which they came, whatever their keys: %s.", names[0], names[1], rows)
		if l.Kept[0] != l.Kept[1] {
			s := tray.Left
			if l.Kept[0] > l.Kept[1] {
				s = tray.Right
			}
			say("%s is shorter by %s and filled.", names[s], summary.Count(l.Kept[s.Other()]-l.Kept[s], "row"))
		}
	default:
		out = append(out, wholes(n, names, l)...)
	}
	for _, s := range tray.Sides {
		if n := l.Count.Repeated[s]; n > 0 && l.Choice.Comparison != comparison.Cross {
			say("%s %s a record of %s again, for it has several partners.", summary.Count(n, "row"), show(n), names[s])
		}
	}
	return strings.Join(out, " ")
}

func side(n comparison.Name) tray.Side {
	if n.Yields(tray.Left) {
		return tray.Left
	}
	return tray.Right
}

func apart(k comparison.Kept, names [2]string, kept, semi [2]int64) string {
	var parts []string
	for s, name := range names {
		if all := k == comparison.KeepFull || k == comparison.Kept(tray.Side(s).String()); all {
			parts = append(parts, fmt.Sprintf("all %s of %s", summary.Count(kept[s], "record"), name))
		} else {
			parts = append(parts, fmt.Sprintf("the %s of %s with a partner", summary.Count(semi[s], "record"), name))
		}
	}
	return "Two tables, kept apart so that nothing multiplies: " + parts[0] + ", and " + parts[1] + "."
}

func wholes(n comparison.Name, names [2]string, l Looked) (out []string) {
	rows := summary.Count(l.Count.Rows, "row")
	once := func(s tray.Side) string {
		return fmt.Sprintf("%s of %s", summary.Count(l.Count.Dropped[s], "record"), names[s])
	}
	switch n {
	case comparison.Union:
		return []string{fmt.Sprintf("Every record that is in %s or in %s, each once: %s. %s and %s say nothing new.", names[0], names[1], rows, once(0), once(1))}
	case comparison.UnionAll:
		return []string{fmt.Sprintf("All records of %s, and under them all of %s: %s.", names[0], names[1], rows)}
	case comparison.Intersect:
		return []string{fmt.Sprintf("The records that are in both %s and %s, as a whole, each once: %s.", names[0], names[1], rows)}
	case comparison.IntersectAll:
		return []string{fmt.Sprintf("The records that are in both %s and %s, as a whole, as often as in both: %s.", names[0], names[1], rows)}
	case comparison.Except:
		return []string{fmt.Sprintf("The records of %s that are not, as a whole, in %s, each once: %s.", names[0], names[1], rows)}
	}
	return []string{fmt.Sprintf("The records of %s, as a whole, less as many as %s has of each: %s.", names[0], names[1], rows)}
}

func have(n int64) string {
	if n == 1 {
		return "has"
	}
	return "have"
}

func are(n int64) string {
	if n == 1 {
		return "is"
	}
	return "are"
}

func show(n int64) string {
	if n == 1 {
		return "shows"
	}
	return "show"
}

// Selves warns that records of a set that is compared with itself pair with themselves.
func Selves(set string, n int64) string {
	does := "pass both filters and pair with themselves"
	if n == 1 {
		does = "passes both filters and pairs with itself"
	}
	return fmt.Sprintf("%s of %s %s. Filter the sides so that no record is on both.", summary.Count(n, "record"), set, does)
}
