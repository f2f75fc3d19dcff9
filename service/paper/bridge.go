package paper

import (
	"math"
	"strconv"
	"strings"

	"twinsieve/core/exact"
)

// bridge is the chart from the left total to the right total, in units of its frame.
type bridge struct {
	Bars []bar
	Zero float64 // where the line of zero is drawn; NaN: nowhere, for no bar is on its other side
	Cut  string  // what is said of bars that do not begin at zero
}

// aside is what stands beside the title of a balance's bridge.
func aside(b Balance) string {
	says := b.Name + " · " + b.Closes
	if cut := bridgeOf(b, 1, 1, 0, 0).Cut; cut != "" {
		says += " · " + cut
	}
	return says
}

// bar is a bar of a bridge.
type bar struct {
	X, Y, Width, Height float64
	Next                float64 // how high the next bar begins
	Label, Text, Fill   string
}

// frame is what a chart of values from low to high shows: from which value, from which one totals are drawn, which is zero where it is shown,
// and up to which. Values that are all far from zero, on either side of it, are cut off, so that what is between them can be seen.
func frame(low, high float64) (floor, base, top float64) {
	spread := high - low
	if spread == 0 {
		spread = max(math.Abs(high), 1)
	}
	switch {
	case low > 0:
		floor = max(0, low-spread*0.35)
		return floor, floor, high
	case high < 0:
		top = min(0, high+spread*0.35)
		return low, top, top
	}
	return min(low, 0), 0, max(high, 0)
}

// bridgeOf lays out the chart in a frame of so many units. The heights are drawn from floats; the figures are the exact texts.
func bridgeOf(b Balance, width, height, above, below float64) bridge {
	high, low := math.Inf(-1), math.Inf(1)
	at, places := 0.0, 0
	type span struct{ from, to float64 }
	var spans []span
	for _, s := range b.Steps {
		n, err := strconv.ParseFloat(s.Change, 64)
		if err != nil {
			n = 0
		}
		places = max(places, exact.Places(s.Change))
		if s.Total {
			spans = append(spans, span{0, n})
			high, low, at = max(high, n), min(low, n), n
			continue
		}
		spans = append(spans, span{at, at + n})
		high, low, at = max(high, at, at+n), min(low, at, at+n), at+n
	}
	floor, base, top := frame(low, high)
	y := func(v float64) float64 {
		return above + (height-above-below)*(1-(v-floor)/max(top-floor, 1e-9))
	}
	step := width / float64(len(b.Steps))
	out := bridge{Zero: math.NaN()}
	switch {
	case base > 0:
		out.Cut = "bars are cut off below"
	case base < 0:
		out.Cut = "bars are cut off above"
	case floor < 0:
		out.Zero = y(0)
	}
	for i, s := range b.Steps {
		from, to := spans[i].from, spans[i].to
		if s.Total {
			from = base
		}
		top, bottom := y(max(from, to)), y(min(from, to))
		text := Grouped(s.Change, places)
		if !s.Total && !strings.HasPrefix(s.Change, "-") {
			text = "+" + text
		}
		out.Bars = append(out.Bars, bar{X: (float64(i) + 0.175) * step, Y: top, Width: 0.65 * step, Height: max(bottom-top, height/150), Next: y(spans[i].to), Label: s.Label, Text: text, Fill: s.Fill})
	}
	return out
}
