package demo

import (
	"fmt"
	"strconv"
	"strings"

	"twinsieve/core/tray"
)

// receipts makes the bank's list of what was paid on the invoices, and states the outcomes of the sieves Payments and Settled.
// An invoice whose amount cannot be read is never paid. What was paid on an invoice without a service is orphaned in Settled.
func (m *maker) receipts() [][]string {
	rows := [][]string{{"Receipt", "Booked", "Reference", "Paid"}}
	o, settled := &m.planted.Payments, &m.planted.Settled
	pay := func(reference string, amount Crowns) {
		rows = append(rows, []string{fmt.Sprintf("B-%05d", len(rows)), fmt.Sprintf("%02d/04/2031", 1+m.rand.IntN(28)), reference, amount.String()})
	}
	counts := map[string]int{}
	for _, r := range m.right {
		amount, readable := crowns(r.amount)
		kind := m.rand.IntN(100)
		switch {
		case !readable || kind < 4:
			o.missing(amount)
			if !r.unlogged {
				settled.missing(amount)
			}
			counts["never paid"]++
		case kind < 7:
			pay(r.number, amount-10000)
			o.pair(tray.Differing, amount, amount-10000)
			if r.unlogged {
				settled.orphaned(amount - 10000)
			} else {
				settled.pair(tray.Differing, amount, amount-10000)
			}
			counts["paid short"]++
		case kind < 8:
			pay(strings.ToLower(r.number), amount)
			pay(r.number+" ", amount)
			for _, of := range []*Outcome{o, settled} {
				if of == settled && r.unlogged {
					of.count(tray.Right, tray.Orphaned, amount)
					of.count(tray.Right, tray.Orphaned, amount)
					of.key(0, 2)
					continue
				}
				of.count(tray.Left, tray.Matched, amount)
				of.count(tray.Right, tray.Matched, amount)
				of.count(tray.Right, tray.Surplus, amount)
				of.key(1, 2)
			}
			counts["paid twice"]++
		default:
			pay(r.number, amount)
			o.pair(tray.Matched, amount, amount)
			if r.unlogged {
				settled.orphaned(amount)
				counts["paid without a service"]++
			} else {
				settled.pair(tray.Matched, amount, amount)
			}
		}
	}
	for n := range 2 + m.rand.IntN(3) {
		pay(fmt.Sprintf("P%06d", 990001+n), 120000)
		o.orphaned(120000)
		settled.orphaned(120000)
		counts["paid on an unknown invoice"]++
	}
	for range 2 + m.rand.IntN(3) {
		pay("", 50000)
		o.count(tray.Right, tray.Unkeyed, 50000)
		settled.count(tray.Right, tray.Unkeyed, 50000)
		counts["paid without a reference"]++
	}
	for _, c := range []Case{{Name: "never paid", Says: "missing among the receipts"}, {Name: "paid short", Says: "differing by 100 crowns"},
		{Name: "paid twice", Says: "the second receipt is surplus"}, {Name: "paid on an unknown invoice", Says: "orphaned"}, {Name: "paid without a reference", Says: "unkeyed"},
		{Name: "paid without a service", Says: "orphaned where only invoices with a service in the log are settled"}} {
		c.Times = counts[c.Name]
		m.planted.Cases = append(m.planted.Cases, c)
	}
	return rows
}

// crowns reads an amount as the invoices write it.
func crowns(text string) (Crowns, bool) {
	whole, fraction, _ := strings.Cut(text, ".")
	n, err := strconv.ParseInt(whole+(fraction + "00")[:2], 10, 64)
	return Crowns(n), err == nil && text != ""
}

// quayColumns are the columns of a quay's own log: the name that the quay gives to each field of the service log.
var quayColumns = map[string][][2]string{
	"North Quay": {{"call_no", "call"}, {"service_date", "day"}, {"service_code", "code"}, {"vessel", "vessel"}, {"amount_due", "amount"}},
	"Salt Quay":  {{"service_date", "day"}, {"vessel", "vessel"}, {"call_no", "call"}, {"amount_due", "amount"}, {"service_code", "code"}},
	"Tar Quay":   {{"Call", "call"}, {"Date", "day"}, {"Code", "code"}, {"Ship", "vessel"}, {"Due", "amount"}, {"Clerk", "by"}},
}

// quayLogs makes the service log as each quay keeps its own: the same records, under columns of other order and names.
func (m *maker) quayLogs() map[string][]byte {
	files := map[string][]byte{}
	for _, quay := range quays {
		var head []string
		for _, c := range quayColumns[quay] {
			head = append(head, c[0])
		}
		rows := [][]string{head}
		for _, l := range m.left {
			if l.quay != quay {
				continue
			}
			fields := map[string]string{"call": l.call, "day": l.day, "code": l.code, "vessel": l.vessel, "amount": l.amount, "by": l.by}
			var row []string
			for _, c := range quayColumns[quay] {
				row = append(row, fields[c[1]])
			}
			rows = append(rows, row)
		}
		name := strings.ToLower(strings.ReplaceAll(quay, " ", "-"))
		m.planted.Quays[name] = len(rows) - 1
		files[name+".csv"] = m.text(rows, 0)
	}
	return files
}
