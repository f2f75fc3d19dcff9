package demo

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"twinsieve/core/again"
	"twinsieve/core/tray"
)

// Round is the service log and the invoices as they come at a later time, and what has become of the exceptions of the round before.
type Round struct {
	ServiceLog []byte
	Invoices   []byte
	Since      map[again.Change]int // planted, of the sieve Billing
	Exceptions int                  // that it finds
}

// What later rounds play with.
const (
	anotherAmount = "another amount"

	differs     = "differs"
	neverBilled = "never billed"
	neverLogged = "never logged"
)

// play gives an exception that later rounds play with its number.
func (m *maker) play(what string) int {
	n := 1
	for _, list := range m.playable {
		n += len(list)
	}
	m.playable[what] = append(m.playable[what], n)
	return n
}

// round makes later rounds out of the records of the one before.
type round struct {
	rand  *rand.Rand
	maker *maker
	left  []logged
	right []billed
	here  map[string][]int // exceptions to play with that are in the round
	since map[again.Change]int

	exceptions int // of the round
	absent     int // exceptions that are in neither set, and still open
	cleared    []int
	withdrawn  []logged // services that are absent
	bills      int      // invoices so far
	rejects    [2]int   // lines of each file that are no records
}

// later makes the rounds that follow. Each states what it does to the exceptions of the one before; whatever it does not touch is still
// open.
func (m *maker) later() []Round {
	r := &round{rand: rand.New(rand.NewPCG(m.planted.Seed, 0x6c61746572)), maker: m, left: slices.Clone(m.left), right: slices.Clone(m.right), bills: len(m.right), here: map[string][]int{}}
	for what, list := range m.playable {
		r.here[what] = slices.Clone(list)
	}
	o := &m.planted.Billing
	r.exceptions = o.Trays[tray.Left][tray.Differing]
	for _, s := range tray.Sides {
		for _, t := range []tray.Tray{tray.Missing, tray.Orphaned, tray.Surplus, tray.Unkeyed} {
			r.exceptions += o.Trays[s][t]
		}
		r.exceptions += o.Rejects[s]
	}
	r.rejects = o.Rejects
	corrected := r.make(func() {
		r.rejectFewer(tray.Right, o.Rejects[tray.Right])
		r.times(4, 2, r.correct)
		r.times(3, 1, r.claimMore)
		r.times(2, 1, r.billLate)
		r.times(1, 1, r.logLate)
		r.times(2, 1, r.withdrawService)
		r.times(1, 1, r.withdrawInvoice)
		r.times(2, 2, r.newMissing)
		r.times(1, 2, r.newOrphaned)
	})
	next := r.make(func() {
		r.rejectFewer(tray.Left, 1)
		r.rejectAgain(tray.Right)
		r.times(60, 10, r.newMatched)
		r.times(2, 1, r.wrongAgain)
		r.times(1, 0, r.logAgain)
		r.times(2, 2, r.correct)
		r.times(2, 1, r.claimMore)
		r.times(1, 0, r.billLate)
		r.times(1, 1, r.withdrawInvoice)
		r.times(4, 3, r.newMissing)
		r.times(3, 2, r.newOrphaned)
	})
	return []Round{corrected, next}
}

func (r *round) times(least, more int, do func()) {
	for range least + r.rand.IntN(more+1) {
		do()
	}
}

// make makes a round: what happens to the records of the one before, and their files.
func (r *round) make(happens func()) Round {
	r.since = map[again.Change]int{}
	before := r.exceptions
	happens()
	r.since[again.Absent] = r.absent
	r.since[again.StillOpen] = before - r.since[again.Changed] - r.since[again.Cleared] - r.since["gone"]
	delete(r.since, "gone")
	r.exceptions = r.since[again.StillOpen] + r.since[again.Changed] + r.since[again.New] + r.since[again.Returned]
	r.rand.Shuffle(len(r.left), func(i, j int) { r.left[i], r.left[j] = r.left[j], r.left[i] })
	r.rand.Shuffle(len(r.right), func(i, j int) { r.right[i], r.right[j] = r.right[j], r.right[i] })
	left, right := rows(r.left, r.right)
	m := &maker{rand: r.rand}
	return Round{ServiceLog: m.text(left, r.rejects[tray.Left]), Invoices: m.text(right, r.rejects[tray.Right]), Since: r.since, Exceptions: r.exceptions}
}

// rejectFewer leaves so many of a file's lines out that are no records: absent.
func (r *round) rejectFewer(s tray.Side, n int) {
	r.rejects[s] -= n
	r.absent += n
	r.since["gone"] += n
}

// rejectAgain breaks a line into a file that was there before: returned.
func (r *round) rejectAgain(s tray.Side) {
	r.rejects[s]++
	r.absent--
	r.since[again.Returned]++
}

// take takes one of the exceptions of a kind out of those to play with.
func (r *round) take(what string) int {
	at := r.rand.IntN(len(r.here[what]))
	n := r.here[what][at]
	r.here[what] = slices.Delete(r.here[what], at, at+1)
	return n
}

func (r *round) logged(n int) int {
	return slices.IndexFunc(r.left, func(l logged) bool { return l.planted == n })
}
func (r *round) billed(n int) int {
	return slices.IndexFunc(r.right, func(b billed) bool { return b.planted == n })
}

// correct lets an invoice claim what the log says: cleared.
func (r *round) correct() {
	n := r.take(differs)
	amount, _ := crowns(r.left[r.logged(n)].amount)
	r.right[r.billed(n)].amount = amount.String()
	r.cleared = append(r.cleared, n)
	r.since[again.Cleared]++
}

// wrongAgain lets an invoice that was corrected claim something else again: returned.
func (r *round) wrongAgain() {
	n := r.cleared[0]
	r.cleared = r.cleared[1:]
	amount, _ := crowns(r.left[r.logged(n)].amount)
	r.right[r.billed(n)].amount = (amount + 7700).String()
	r.since[again.Returned]++
}

// claimMore lets an invoice claim even more: changed.
func (r *round) claimMore() {
	b := &r.right[r.billed(r.take(differs))]
	amount, _ := crowns(b.amount)
	b.amount = (amount + 2500).String()
	r.since[again.Changed]++
}

// billLate bills a service that was missing: cleared.
func (r *round) billLate() {
	n := r.take(neverBilled)
	r.right = append(r.right, r.invoice(r.left[r.logged(n)]))
	r.since[again.Cleared]++
}

// logLate logs the service of an invoice that was orphaned: cleared.
func (r *round) logLate() {
	b := r.right[r.billed(r.take(neverLogged))]
	day, err := time.Parse("02.01.2006", b.day)
	if err != nil {
		panic(err) // the planter writes days that can be read
	}
	amount, _ := crowns(b.amount)
	r.left = append(r.left, logged{call: strings.ToUpper(b.call), day: day.Format(time.DateOnly), code: strings.ToUpper(b.code), vessel: b.ship, quay: quays[0],
		amount: fmt.Sprintf("%d.%02d", amount/100, amount%100), by: clerks[0]})
	r.since[again.Cleared]++
}

// withdrawService takes a service that was missing out of the log: absent.
func (r *round) withdrawService() {
	at := r.logged(r.take(neverBilled))
	r.withdrawn = append(r.withdrawn, r.left[at])
	r.left = slices.Delete(r.left, at, at+1)
	r.absent++
	r.since["gone"]++
}

// withdrawInvoice takes an invoice that was orphaned back: absent.
func (r *round) withdrawInvoice() {
	at := r.billed(r.take(neverLogged))
	r.right = slices.Delete(r.right, at, at+1)
	r.absent++
	r.since["gone"]++
}

// logAgain logs a service again that was withdrawn: returned.
func (r *round) logAgain() {
	r.left = append(r.left, r.withdrawn[0])
	r.withdrawn = r.withdrawn[1:]
	r.absent--
	r.since[again.Returned]++
}

// service is a service of the next month.
func (r *round) service() logged {
	for {
		s := r.maker.service()
		s.day = time.Date(2031, 4, 1+r.rand.IntN(30), 0, 0, 0, 0, time.UTC)
		if r.maker.take(s) {
			return logged{call: fmt.Sprintf("MW-%05d", s.call), day: s.day.Format(time.DateOnly), code: s.code, vessel: s.vessel, quay: s.quay,
				amount: fmt.Sprintf("%d.%02d", s.amount/100, s.amount%100), by: clerks[r.rand.IntN(len(clerks))]}
		}
	}
}

// invoice is the invoice of a service.
func (r *round) invoice(l logged) billed {
	r.bills++
	day, err := time.Parse(time.DateOnly, l.day)
	if err != nil {
		panic(err) // the planter writes days that can be read
	}
	amount, _ := crowns(l.amount)
	return billed{number: fmt.Sprintf("P%06d", 310000+r.bills), ship: capitals.String(l.vessel), call: l.call, day: day.Format("02.01.2006"), code: strings.ToLower(l.code), amount: amount.String()}
}

func (r *round) newMatched() {
	l := r.service()
	r.left = append(r.left, l)
	r.right = append(r.right, r.invoice(l))
}

func (r *round) newMissing() {
	r.left = append(r.left, r.service())
	r.since[again.New]++
}

func (r *round) newOrphaned() {
	r.right = append(r.right, r.invoice(r.service()))
	r.since[again.New]++
}
