package pace

import (
	"math"
	"testing"
	"time"
)

// TestLeft lets work of three legs pass that takes other times than those remembered, and holds what is said to be left against what
// is: within 30 % from a tenth of the way on, once the book has seen the work.
func TestLeft(t *testing.T) {
	book := NewBook(map[string]float64{"reading": 0.001, "matching": 0.01, "writing": 0.0001})
	legs := []Leg{{"reading", 4000}, {"matching", 300}, {"repeats", 0}, {"writing", 20_000}}
	takes := map[string]float64{"reading": 9, "matching": 6, "writing": 30} // seconds
	for round := range 5 {
		now := time.Unix(0, 0)
		j := NewJourney(book, now)
		j.Expect(legs...)
		whole, at, before := 45.0, 0.0, 0.0
		worst := 0.0
		for _, stage := range []string{"reading", "matching", "writing"} {
			for step := range 100 {
				fraction, left, known := j.At(stage, int64(step), 100, now)
				if !known || fraction < before || fraction > 1 {
					t.Fatalf("%s, step %d: %.3f of it is done after %.3f (known: %t)", stage, step, fraction, before, known)
				}
				before = fraction
				if at > whole/10 {
					worst = max(worst, math.Abs(left-(whole-at))/(whole-at))
				}
				now = now.Add(time.Duration(takes[stage] / 100 * float64(time.Second)))
				at += takes[stage] / 100
			}
			j.At(stage, 100, 100, now)
		}
		j.End(now)
		if round == 4 && worst > 0.3 {
			t.Errorf("what is left is %.0f %% off", 100*worst)
		}
	}
}

// TestUnexpected: a stage that nobody has expected, and one whose size is not known.
func TestUnexpected(t *testing.T) {
	now := time.Unix(0, 0)
	j := NewJourney(NewBook(nil), now)
	if _, _, known := j.At("looking", 0, 0, now); known {
		t.Error("what is left is known of nothing")
	}
	now = now.Add(time.Second)
	fraction, left, known := j.At("looking", 25, 100, now)
	if !known || math.Abs(left-3) > 0.01 || math.Abs(fraction-0.25) > 0.01 {
		t.Errorf("after a quarter in a second, %.2f is done and %.2f s are left", fraction, left)
	}
	j.Expect(Leg{"looking", 100}, Leg{"telling", 10})
	if fraction, _, _ = j.At("telling", 0, 10, now); fraction < 0.25 {
		t.Errorf("it has gone back to %.2f", fraction)
	}
}

// TestShortLegs: a small piece of work, most of whose time is that to begin and end it, does not spoil what is known of large ones. One that is
// quicker than was thought tells so, however short it is.
func TestShortLegs(t *testing.T) {
	book := NewBook(map[string]float64{"reading": 1e-6})
	now := time.Unix(0, 0)
	small := NewJourney(book, now)
	small.Expect(Leg{"reading", 1000})
	small.At("reading", 1000, 1000, now)
	small.End(now.Add(100 * time.Millisecond)) // a hundred times as long for each unit
	large := NewJourney(book, now)
	large.Expect(Leg{"reading", 10_000_000})
	if _, left, known := large.At("reading", 0, 100, now); !known || math.Abs(left-10) > 0.1 {
		t.Errorf("%.1f s are said to be left of 10 (known: %t)", left, known)
	}
	quick := NewJourney(book, now)
	quick.Expect(Leg{"reading", 1_000_000})
	quick.At("reading", 1_000_000, 1_000_000, now)
	quick.End(now.Add(100 * time.Millisecond)) // a tenth of what was thought, of which half is remembered
	again := NewJourney(book, now)
	again.Expect(Leg{"reading", 10_000_000})
	if _, left, known := again.At("reading", 0, 100, now); !known || math.Abs(left-5.5) > 0.1 {
		t.Errorf("%.1f s are said to be left of 5.5 (known: %t)", left, known)
	}
}

// TestOwnSpeed: a long leg that takes twice as long as was thought, or half, is seen through when a fifth of it is done.
func TestOwnSpeed(t *testing.T) {
	for _, takes := range []float64{50, 200} {
		now := time.Unix(0, 0)
		j := NewJourney(NewBook(map[string]float64{"writing": 1}), now)
		j.Expect(Leg{"writing", 100})
		for done := range int64(100) {
			left := takes * float64(100-done) / 100
			_, said, known := j.At("writing", done, 100, now)
			if off := math.Abs(said-left) / left; !known || done >= 20 && off > 0.3 && takes > 100 || done >= 50 && off > 0.3 {
				t.Errorf("after %d of 100, %.0f s are said to be left of %.0f", done, said, left)
			}
			now = now.Add(time.Duration(takes / 100 * float64(time.Second)))
		}
	}
}

// TestSlowHour: all legs take longer than they did, or less. What is left is said rightly long before the last has begun.
func TestSlowHour(t *testing.T) {
	for _, times := range []float64{0.6, 1, 1.8} {
		now := time.Unix(0, 0)
		j := NewJourney(NewBook(map[string]float64{"reading": 0.05, "matching": 0.05, "writing": 0.05}), now)
		j.Expect(Leg{"reading", 100}, Leg{"matching", 100}, Leg{"writing", 300})
		at, whole := 0.0, 25*times
		for _, leg := range []struct {
			stage string
			units int64
		}{{"reading", 100}, {"matching", 100}, {"writing", 300}} {
			for done := range leg.units {
				_, left, known := j.At(leg.stage, done, leg.units, now)
				if off := math.Abs(left-(whole-at)) / (whole - at); !known || at > whole/5 && off > 0.2 {
					t.Errorf("%.1f times as long: at %.1f of %.1f s, %.1f are said to be left (known: %t)", times, at, whole, left, known)
				}
				step := 0.05 * times
				now, at = now.Add(time.Duration(step*float64(time.Second))), at+step
			}
			j.At(leg.stage, leg.units, leg.units, now)
		}
	}
}

// TestGuessed: that a leg takes three times as long as is only guessed of it says nothing of legs that have been seen before.
func TestGuessed(t *testing.T) {
	book := NewBook(map[string]float64{"reading": 0.02, "recognising": 0.02, "writing": 0.02})
	takes := map[string]float64{"reading": 0.05, "recognising": 0.06, "writing": 0.01}
	for n, stages := range [][]string{{"reading", "writing"}, {"reading", "recognising", "writing"}} {
		now := time.Unix(0, 0)
		j := NewJourney(book, now)
		var legs []Leg
		for _, stage := range stages {
			legs = append(legs, Leg{stage, 100})
		}
		j.Expect(legs...)
		for _, stage := range stages {
			for done := range int64(100) {
				_, left, known := j.At(stage, done, 100, now)
				if want := takes[stage] * float64(100-done); n > 0 && stage == "writing" && (!known || math.Abs(left-want) > want/20) {
					t.Errorf("after %d of 100, %.2f s are said to be left of %.2f (known: %t)", done, left, want, known)
				}
				now = now.Add(time.Duration(takes[stage] * float64(time.Second)))
			}
			j.At(stage, 100, 100, now)
		}
		j.End(now)
	}
}
