package demo

import (
	"fmt"
	"strings"

	"twinsieve/core/tray"
)

// Currencies are those that ships' agents deposit in, as the sieve Deposits reads them; a slip without one has the empty name.
var Currencies = []string{"crowns", "florins", "marks", ""}

var agents = []string{"Brandywine & Sons", "Okoro Shipping", "Pellan Agency", "Vesper Lines"}

// deposits makes what ships' agents have deposited with the harbour office, and the bank's statement of it, and states the outcome of the sieve
// Deposits, of each currency apart.
func (m *maker) deposits() (office, bank [][]string) {
	office = [][]string{{"slip", "agent", "currency", "amount"}}
	bank = [][]string{{"Value Date", "Slip No", "Cur", "Sum"}}
	counts := map[string]int{}
	slip := 0
	// The bank writes a currency in capitals here and there.
	written := func(currency string) string {
		if m.rand.IntN(3) == 0 {
			return strings.ToUpper(currency)
		}
		return currency
	}
	put := func(s tray.Side, t tray.Tray, slip, currency string, amount Crowns) {
		o := m.planted.Deposits[currency]
		o.count(s, t, amount)
		m.planted.Deposits[currency] = o
		if s == tray.Left {
			office = append(office, []string{slip, agents[m.rand.IntN(len(agents))], currency, amount.String()})
		} else {
			bank = append(bank, []string{fmt.Sprintf("2031-04-%02d", 1+m.rand.IntN(28)), strings.ToLower(slip), written(currency), amount.String()})
		}
	}
	for _, currency := range Currencies {
		m.planted.Deposits[currency] = newOutcome()
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
				counts["booked in another currency"]++
			case kind == 0 || n == 2:
				put(tray.Left, tray.Missing, number, currency, amount)
				counts["deposited, not on the statement"]++
			case kind == 1 || n == 4:
				put(tray.Right, tray.Orphaned, number, currency, amount)
				counts["on the statement only"]++
			case kind == 2 || n == 6:
				put(tray.Left, tray.Differing, number, currency, amount)
				put(tray.Right, tray.Differing, number, currency, amount-250)
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
	return office, bank
}
