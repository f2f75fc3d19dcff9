package demo

import (
	"fmt"
	"strings"

	"twinsieve/core/tray"
)

// plant makes all records. Every case states its own outcome, for the demo's sieve: call number, service date and
// service code are the key, the amount may be off by 0.05, the vessel's name is compared without regard to case.
func (m *maker) plant(services int) {
	for range services {
		s := m.service()
		m.log(s)
		m.bill(s)
		m.planted.Billing.pair(tray.Matched, s.amount, s.amount)
	}
	m.plantKeys()
	m.plantDifferences()
	m.plantLonely()
	m.plantUnkeyed()
	m.plantRepeats()
	for s, name := range [2]string{"faulty lines in the service log", "faulty lines in the invoices"} {
		m.times(name, "a line that is no record is rejected and listed", 1, func() { m.planted.Billing.Rejects[s]++ })
	}
}

// times does a case a few times, at least so often, and states it.
func (m *maker) times(name, says string, least int, plant func()) {
	n := least + m.rand.IntN(3)
	for range n {
		plant()
	}
	m.planted.Cases = append(m.planted.Cases, Case{name, says, n})
}

// plantKeys plants keys that are written differently and still the same.
func (m *maker) plantKeys() {
	odd := func(name, says string, least int, change func(l *logged, r *billed)) {
		m.times(name, says, least, func() {
			s := m.service()
			l, r := m.log(s), m.bill(s)
			change(l, r)
			m.planted.Billing.pair(tray.Matched, s.amount, s.amount)
		})
	}
	odd("spaces around a key", "outer spaces are trimmed", 8, func(l *logged, r *billed) { r.call, l.code = " "+r.call+"  ", l.code+" " })
	odd("no-break spaces around a key", "a no-break space is a space", 3, func(l *logged, r *billed) { r.call += "\u00a0" })
	odd("zeros in the invoice's call number", "zeros at the start of a run of digits are dropped", 5, func(l *logged, r *billed) {
		r.call = strings.Replace(strings.ToUpper(r.call), "MW-", "MW-0000", 1)
	})
	odd("spaces inside a vessel's name", "runs of spaces count as one", 3, func(l *logged, r *billed) {
		l.vessel, r.ship = "Pale  Cormorant", "PALE CORMORANT"
	})
	odd("quotes and line ends in a remark", "quoted cells may hold anything", 2, func(l *logged, r *billed) {
		r.remark = "pilot said \"slack water\",\nthen waited"
	})
}

// plantDifferences plants pairs whose fields do not quite agree.
func (m *maker) plantDifferences() {
	amounts := func(name, says string, least int, t tray.Tray, change func(Crowns) Crowns) {
		m.times(name, says, least, func() {
			s := m.service()
			l := m.log(s)
			bill := s
			bill.amount = change(s.amount)
			r := m.bill(bill)
			if name == anotherAmount {
				l.planted = m.play(differs)
				r.planted = l.planted
			}
			m.planted.Billing.pair(t, s.amount, bill.amount)
		})
	}
	amounts("cents of rounding", "a difference of up to 0.05 agrees", 18, tray.Matched, func(c Crowns) Crowns { return c + Crowns(m.rand.IntN(11)) - 5 })
	amounts("six cents off", "a difference above the tolerance does not agree", 2, tray.Differing, func(c Crowns) Crowns { return c + 6 })
	amounts(anotherAmount, "the invoice claims another amount", 18, tray.Differing, func(c Crowns) Crowns { return c + Crowns(1+m.rand.IntN(30))*500 })
	text := func(name, says string, least int, t tray.Tray, left, right bool, change func(l *logged, r *billed)) {
		m.times(name, says, least, func() {
			s := m.service()
			l, r := m.log(s), m.bill(s)
			change(l, r)
			counted := [2]Crowns{s.amount, s.amount}
			if !left {
				counted[0] = 0
			}
			if !right {
				counted[1] = 0
			}
			m.planted.Billing.pair(t, counted[0], counted[1])
		})
	}
	text("another vessel", "the names of the vessel differ", 5, tray.Differing, true, true, func(l *logged, r *billed) { r.ship = "SANDPIPER" })
	text("blank amounts on both sides", "blank agrees with blank", 2, tray.Matched, false, false, func(l *logged, r *billed) { l.amount, r.amount = "", "" })
	text("blank amount on the invoice", "blank does not agree with an amount", 1, tray.Differing, true, false, func(l *logged, r *billed) { r.amount = "" })
	text("unreadable amount on the invoice", "an amount that is no number agrees with nothing", 1, tray.Differing, true, false, func(l *logged, r *billed) { r.amount = "see note" })
}

// plantLonely plants records without a partner, truly or by a slip in the key.
func (m *maker) plantLonely() {
	m.times("service never billed", "missing", 7, func() {
		s := m.service()
		m.log(s).planted = m.play(neverBilled)
		m.planted.Billing.missing(s.amount)
	})
	m.times("invoice without a service", "orphaned", 6, func() {
		s := m.service()
		r := m.bill(s)
		r.unlogged, r.planted = true, m.play(neverLogged)
		m.planted.Billing.orphaned(s.amount)
	})
	slip := func(name, says string, least int, change func(s *service) bool) {
		m.times(name, says, least, func() {
			for {
				s := m.service()
				bill := s
				if change(&bill) && m.take(bill) {
					m.log(s)
					m.bill(bill).unlogged = true
					m.planted.Billing.part(s.amount, bill.amount)
					return
				}
			}
		})
	}
	slip("date one day off", "missing on the left and orphaned on the right", 4, func(s *service) bool {
		s.day = s.day.AddDate(0, 0, 1)
		return true
	})
	slip("two digits swapped", "missing on the left and orphaned on the right", 3, func(s *service) bool {
		before := s.call
		s.call = before/100*100 + before%10*10 + before/10%10
		return s.call != before
	})
	m.times("letter that looks alike", "a Cyrillic letter in the invoice's call number: missing and orphaned", 2, func() {
		s := m.service()
		m.log(s)
		r := m.bill(s)
		r.call, r.unlogged = fmt.Sprintf("\u041cW-%d", s.call), true
		m.planted.Billing.part(s.amount, s.amount)
	})
}

// plantUnkeyed plants records whose key is not there or cannot be read.
func (m *maker) plantUnkeyed() {
	m.times("blank call number in the log", "unkeyed", 5, func() {
		s := m.service()
		m.log(s).call = ""
		m.planted.Billing.count(tray.Left, tray.Unkeyed, s.amount)
	})
	m.times("call number of spaces in the log", "emptied by trimming, so unkeyed", 1, func() {
		s := m.service()
		m.log(s).call = "   "
		m.planted.Billing.count(tray.Left, tray.Unkeyed, s.amount)
	})
	m.times("blank service code on the invoice", "unkeyed", 3, func() {
		s := m.service()
		r := m.bill(s)
		r.code, r.unlogged = "", true
		m.planted.Billing.count(tray.Right, tray.Unkeyed, s.amount)
	})
	m.times("impossible date on the invoice", "unreadable, so unkeyed", 2, func() {
		s := m.service()
		r := m.bill(s)
		r.day, r.unlogged = "31.02.2031", true
		m.planted.Billing.count(tray.Right, tray.Unkeyed, s.amount)
	})
}

// plantRepeats plants keys that more than one record carries.
func (m *maker) plantRepeats() {
	m.times("billed twice", "one invoice matches, the other is surplus", 5, func() {
		s := m.service()
		m.log(s)
		m.bill(s)
		m.bill(s).remark = "second copy"
		m.planted.Billing.count(tray.Left, tray.Matched, s.amount)
		m.planted.Billing.count(tray.Right, tray.Matched, s.amount)
		m.planted.Billing.count(tray.Right, tray.Surplus, s.amount)
		m.planted.Billing.key(1, 2)
	})
	m.times("logged twice", "one line matches, the other is surplus", 2, func() {
		s := m.service()
		m.log(s)
		m.log(s)
		m.bill(s)
		m.planted.Billing.count(tray.Left, tray.Matched, s.amount)
		m.planted.Billing.count(tray.Right, tray.Matched, s.amount)
		m.planted.Billing.count(tray.Left, tray.Surplus, s.amount)
		m.planted.Billing.key(2, 1)
	})
	m.times("two tugs on one call", "two lines and two invoices of one key pair by amount", 4, func() {
		s, other := m.service(), service{}
		other = s
		other.amount += 20000
		m.log(s)
		m.log(other)
		m.bill(other)
		m.bill(s)
		for _, amount := range []Crowns{s.amount, other.amount} {
			m.planted.Billing.count(tray.Left, tray.Matched, amount)
			m.planted.Billing.count(tray.Right, tray.Matched, amount)
		}
		m.planted.Billing.key(2, 2)
	})
	m.times("three tugs, two billed", "two pair by amount, the dearest is surplus", 1, func() {
		s := m.service()
		for i := range 3 {
			each := s
			each.amount += Crowns(i) * 30000
			m.log(each)
			if i < 2 {
				m.bill(each)
				m.planted.Billing.count(tray.Left, tray.Matched, each.amount)
				m.planted.Billing.count(tray.Right, tray.Matched, each.amount)
			} else {
				m.planted.Billing.count(tray.Left, tray.Surplus, each.amount)
			}
		}
		m.planted.Billing.key(3, 2)
	})
}
