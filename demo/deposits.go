package demo

import (
	"fmt"
	"maps"
	"strings"

	"twinsieve/core/again"
	"twinsieve/core/tray"
)

// Currencies are those that ships' agents deposit in, as the sieve Deposits reads them; a slip without one has the empty name.
var Currencies = []string{"crowns", "florins", "marks", ""}

var agents = []string{"Brandywine & Sons", "Okoro Shipping", "Pellan Agency", "Vesper Lines"}

// Month is the deposits of a month that comes after the first, and what becomes of the exceptions of the month before. Its files have the new month
// only: what was open is carried into its run.
type Month struct {
	Deposits, Statement []byte
	Outcomes            map[string]Outcome // as of the first month; records that are carried in are records of it
	Carried             [2]int
	CarriedAmounts      map[string][2]Crowns // by currency
	Since               map[again.Change]int
	Exceptions          int
}

// openSlip is a slip that the first month leaves open.
type openSlip struct {
	number   string
	amounts  [2]Crowns // of a side without a record: 0
	currency [2]string
	tray     tray.Tray
}

// deposits makes what ships' agents have deposited with the harbour office, and the bank's statement of it, and states the outcome of the sieve
// Deposits, of each currency apart; then a second month.
func (m *maker) deposits() (office, bank [][]string, next *Month) {
	counts := map[string]int{}
	slip := 0
	var open []openSlip
	outcomes := m.planted.Deposits
	begin := func() {
		office = [][]string{{"slip", "agent", "currency", "amount"}}
		bank = [][]string{{"Value Date", "Slip No", "Cur", "Sum"}}
		for _, currency := range Currencies {
			outcomes[currency] = newOutcome()
		}
	}
	begin()
	// The bank writes a currency in capitals here and there.
	written := func(currency string) string {
		if m.rand.IntN(3) == 0 {
			return strings.ToUpper(currency)
		}
		return currency
	}
	count := func(s tray.Side, t tray.Tray, currency string, amount Crowns) {
		o := outcomes[currency]
		o.count(s, t, amount)
		outcomes[currency] = o
	}
	put := func(s tray.Side, t tray.Tray, slip, currency string, amount Crowns) {
		count(s, t, currency, amount)
		if s == tray.Left {
			office = append(office, []string{slip, agents[m.rand.IntN(len(agents))], currency, amount.String()})
		} else {
			bank = append(bank, []string{fmt.Sprintf("2031-04-%02d", 1+m.rand.IntN(28)), strings.ToLower(slip), written(currency), amount.String()})
		}
	}
	for n := range 60 + m.rand.IntN(20) {
		for c, currency := range Currencies[:3] {
			if n%(c+1) != 0 {
				continue
			}
			slip++
			number, amount := fmt.Sprintf("D-%04d", slip), Crowns(10000+m.rand.IntN(900)*500)
			switch kind := m.rand.IntN(40); {
			case n == 0 && currency == "marks":
				put(tray.Left, tray.Differing, number, currency, amount)
				put(tray.Right, tray.Differing, number, "florins", amount)
				open = append(open, openSlip{number, [2]Crowns{amount, amount}, [2]string{currency, "florins"}, tray.Differing})
				counts["booked in another currency"]++
			case kind == 0 || n == 2:
				put(tray.Left, tray.Missing, number, currency, amount)
				open = append(open, openSlip{number, [2]Crowns{amount, 0}, [2]string{currency, ""}, tray.Missing})
				counts["deposited, not on the statement"]++
			case kind == 1 || n == 4:
				put(tray.Right, tray.Orphaned, number, currency, amount)
				open = append(open, openSlip{number, [2]Crowns{0, amount}, [2]string{"", currency}, tray.Orphaned})
				counts["on the statement only"]++
			case kind == 2 || n == 6:
				put(tray.Left, tray.Differing, number, currency, amount)
				put(tray.Right, tray.Differing, number, currency, amount-250)
				open = append(open, openSlip{number, [2]Crowns{amount, amount - 250}, [2]string{currency, currency}, tray.Differing})
				counts["booked less a fee"]++
			case kind == 3 || n == 8:
				put(tray.Left, tray.Matched, number, "", amount)
				put(tray.Right, tray.Matched, number, "", amount)
				counts["without a currency on both sides"]++
			default:
				put(tray.Left, tray.Matched, number, currency, amount)
				put(tray.Right, tray.Matched, number, currency, amount)
			}
		}
	}
	for _, c := range []Case{{Name: "booked in another currency", Says: "differing; each currency's balance has a side of it"}, {Name: "deposited, not on the statement", Says: "missing"},
		{Name: "on the statement only", Says: "orphaned"}, {Name: "booked less a fee", Says: "differing by 2.50"},
		{Name: "without a currency on both sides", Says: "matched, and balanced apart from every currency"}} {
		c.Times = counts[c.Name]
		m.planted.Cases = append(m.planted.Cases, c)
	}
	first := [2][][]string{office, bank}

	// The second month: some of what was open comes late, some is corrected, and the rest stays open.
	next = &Month{Outcomes: map[string]Outcome{}, CarriedAmounts: map[string][2]Crowns{}, Since: map[again.Change]int{}}
	outcomes = next.Outcomes
	begin()
	carry := func(s tray.Side, t tray.Tray, o *openSlip) {
		count(s, t, o.currency[s], o.amounts[s])
		next.Carried[s]++
		sums := next.CarriedAmounts[o.currency[s]]
		sums[s] += o.amounts[s]
		next.CarriedAmounts[o.currency[s]] = sums
	}
	for i := range open {
		o := &open[i]
		late := m.rand.IntN(2) == 0 || i < 3
		became := again.Cleared
		switch {
		case late && o.tray == tray.Missing:
			carry(tray.Left, tray.Matched, o)
			put(tray.Right, tray.Matched, o.number, o.currency[0], o.amounts[0])
		case late && o.tray == tray.Orphaned:
			carry(tray.Right, tray.Matched, o)
			put(tray.Left, tray.Matched, o.number, o.currency[1], o.amounts[1])
		case late: // the bank states it again, as it should have been
			carry(tray.Left, tray.Matched, o)
			put(tray.Right, tray.Matched, o.number, o.currency[0], o.amounts[0])
		default:
			became = again.StillOpen
			next.Exceptions++
			for _, s := range tray.Sides {
				if o.tray.On(s) {
					carry(s, o.tray, o)
				}
			}
		}
		next.Since[became]++
	}
	for n := range 50 {
		slip++
		number, currency, amount := fmt.Sprintf("D-%04d", slip), Currencies[m.rand.IntN(3)], Crowns(10000+m.rand.IntN(900)*500)
		switch {
		case n < 2:
			put(tray.Left, tray.Missing, number, currency, amount)
			next.Since[again.New]++
			next.Exceptions++
		case n < 3:
			put(tray.Right, tray.Orphaned, number, currency, amount)
			next.Since[again.New]++
			next.Exceptions++
		default:
			put(tray.Left, tray.Matched, number, currency, amount)
			put(tray.Right, tray.Matched, number, currency, amount)
		}
	}
	maps.DeleteFunc(outcomes, func(_ string, o Outcome) bool { return o.Records == [2]int{} }) // nothing is deposited in it
	next.Deposits, next.Statement = m.text(office, 0), m.text(bank, 0)
	return first[0], first[1], next
}
