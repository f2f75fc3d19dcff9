// Package pace says how long work that is done in stages will still take.
//
// A [Journey] knows the legs that are to come, how large each is, and how long a unit of such a leg took before: a [Book] remembers
// that. While a leg is under way, its own speed counts the more the farther it is. A machine that is slower than it was is so in all legs, so those to come
// are thought to take as much longer as those behind: those that have been travelled before as those behind of which that is so, too, for what is only guessed of the others says nothing of the machine.
package pace

import (
	"math"
	"sync"
	"time"
)

// Leg is a stage of the work, and how many units it has: records, bytes, whatever takes equally long.
type Leg struct {
	Stage string
	Units float64
}

// Book remembers how many seconds a unit of each stage takes. Several journeys may use it at once. The zero value knows nothing: see [NewBook].
type Book struct {
	mu    sync.Mutex
	paces map[string]remembered
}

// remembered is how long a unit takes, and whether it has been seen to, or is what it takes as a rule.
type remembered struct {
	seconds float64
	seen    bool
}

// NewBook returns a book with the seconds that a unit of each stage takes as a rule.
func NewBook(paces map[string]float64) *Book {
	b := &Book{paces: map[string]remembered{}}
	for stage, p := range paces {
		b.paces[stage] = remembered{seconds: p}
	}
	return b
}

func (b *Book) of(stage string) remembered {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.paces[stage]
}

// learn takes in how long a unit of a stage has just taken: half of what is remembered is of the last time, and all of it is of the first that tells enough.
func (b *Book) learn(stage string, seconds float64, tells bool) {
	b.mu.Lock()
	defer b.mu.Unlock()
	before := b.paces[stage]
	if _, known := b.paces[stage]; known && (before.seen || !tells) {
		seconds = (before.seconds + seconds) / 2
	}
	b.paces[stage] = remembered{seconds, before.seen || tells}
}

// Journey is work under way. It is not for several goroutines at once.
type Journey struct {
	book  *Book
	legs  []Leg // the one under way, and those to come
	begun time.Time
	since time.Time // beginning of the leg under way
	under bool      // a leg is under way
	part  float64   // of the leg under way, how much is done

	behind behind

	most float64 // fraction of the whole that has been told
}

// behind are the legs behind: all of them, and those whose pace had been seen.
type behind struct{ all, seen measured }

// measured is how many seconds some legs have taken, and were thought to take.
type measured struct{ took, thought float64 }

// add adds a leg of a pace, or a part of it, that has taken some seconds.
func (b *behind) add(pace remembered, units, took float64) {
	if b.all.add(took, units*pace.seconds); pace.seen {
		b.seen.add(took, units*pace.seconds)
	}
}

// slower is how many times as long as is thought a leg of a pace takes.
func (b *behind) slower(pace remembered) float64 {
	if pace.seen {
		return b.seen.slower()
	}
	return b.all.slower()
}

func (m *measured) add(took, thought float64) { m.took, m.thought = m.took+took, m.thought+thought }

// slower is how many times as long as was thought they have taken. A short while tells little, and no machine is another altogether.
func (m *measured) slower() float64 {
	const telling = 1 // second that counts as much as what is remembered
	return min(max((m.took+telling)/(m.thought+telling), 0.5), 2)
}

// NewJourney begins a journey of whose legs nothing is known yet.
func NewJourney(book *Book, now time.Time) *Journey {
	return &Journey{book: book, begun: now, since: now}
}

// Expect says which legs are to come, in their order, instead of what was expected before; the first may be the one under way. Those
// that have none of it are passed over when they do not come.
func (j *Journey) Expect(legs ...Leg) {
	if j.under && (len(legs) == 0 || legs[0].Stage != j.legs[0].Stage) {
		legs = append([]Leg{j.legs[0]}, legs...)
	}
	j.legs = legs
}

// Expects reports whether any leg is known.
func (j *Journey) Expects() bool { return len(j.legs) > 0 }

// At says that so much of a stage is done: of total, in whatever it is counted in. Zero total says that it is not known. It returns how
// much of the whole is done, from 0 to 1 and never less than before, and the seconds that are left; known is false where that cannot be said.
func (j *Journey) At(stage string, done, total int64, now time.Time) (fraction, left float64, known bool) {
	if !j.under || j.legs[0].Stage != stage {
		j.begin(stage, now)
	}
	if total > 0 {
		j.part = max(j.part, float64(min(done, total))/float64(total))
	}
	spent := now.Sub(j.since).Seconds()
	pace := j.book.of(j.legs[0].Stage)
	behind := j.behind
	expected := j.legs[0].Units * pace.seconds * behind.slower(pace)
	switch {
	case expected == 0 && (j.part == 0 || spent < 0.2):
		return j.most, 0, false
	case expected == 0:
		left = spent * (1 - j.part) / j.part
	case j.part == 0:
		left = max(expected-spent, expected/10)
	default:
		// Its own speed says the more the farther it is, and soon much, once it has gone on for long enough to tell anything.
		own := j.part
		if spent >= tellingLeg.Seconds() {
			own = math.Sqrt(j.part)
		}
		left = (1 - j.part) * (expected*(1-own) + spent/j.part*own)
	}
	if expected > 0 && j.part > 0 {
		behind.add(pace, j.legs[0].Units*j.part, spent)
	}
	for _, l := range j.legs[1:] {
		pace := j.book.of(l.Stage)
		left += l.Units * pace.seconds * behind.slower(pace)
	}
	if whole := now.Sub(j.begun).Seconds() + left; whole > 0 {
		j.most = max(j.most, min(1-left/whole, 0.999))
	}
	return j.most, left, true
}

// tellingLeg is the shortest leg that tells how long a unit takes: what a shorter one takes is mostly the time to begin and end. That a unit
// takes no longer than so is told by any.
const tellingLeg = 400 * time.Millisecond

// End says that the leg under way is done: wholly, also where nothing was told of how far it was.
func (j *Journey) End(now time.Time) {
	took := now.Sub(j.since)
	if j.under && j.legs[0].Units > 0 && (j.part > 0.99 || j.part == 0) {
		stage, unit := j.legs[0].Stage, took.Seconds()/j.legs[0].Units
		pace := j.book.of(stage)
		j.behind.add(pace, j.legs[0].Units, took.Seconds())
		if tells := took >= tellingLeg; tells || unit < pace.seconds {
			j.book.learn(stage, unit, tells)
		}
	}
	if j.under {
		j.legs = j.legs[1:]
	}
	j.under = false
}

// begin begins a stage. Legs before it have not come.
func (j *Journey) begin(stage string, now time.Time) {
	j.End(now)
	at := 0
	for at < len(j.legs) && j.legs[at].Stage != stage {
		at++
	}
	if at < len(j.legs) {
		j.legs = j.legs[at:]
	} else {
		j.legs = append([]Leg{{Stage: stage}}, j.legs...)
	}
	j.since, j.part, j.under = now, 0, true
}
