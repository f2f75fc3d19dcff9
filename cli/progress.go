package cli

import (
	"fmt"
	"io"
	"math"
	"sync"
	"time"

	"github.com/schollz/progressbar/v3"

	"twinsieve/core/pace"
	"twinsieve/service/view"
)

// progress shows how far a long job is and how long it will still take: a bar on a terminal, nothing elsewhere. Its methods may be
// called from several goroutines at once.
type progress struct {
	mu      sync.Mutex
	out     io.Writer // nil: no terminal
	bar     *progressbar.ProgressBar
	says    string
	journey *pace.Journey
}

func newProgress(out io.Writer) *progress {
	if !isTerminal(out) {
		return &progress{}
	}
	return &progress{out: out, journey: pace.NewJourney(pace.NewBook(siftPaces), time.Now())}
}

// siftPaces are the seconds that a unit of each stage of sift takes, roughly: of a byte, a record or an exception.
var siftPaces = map[string]float64{"reading files": 2e-9, "matching": 0.08e-6, "repeated keys": 0.04e-6, "writing exceptions": 1.4e-6}

// expect says which stages are to come, and how much there is of each.
func (p *progress) expect(legs ...pace.Leg) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.journey != nil {
		p.journey.Expect(legs...)
	}
}

// set says that so much of a stage is done.
func (p *progress) set(stage string, done, total int64) {
	if p.out == nil {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	fraction, left, _ := p.journey.At(stage, done, total, time.Now())
	p.draw(stage, fraction, left)
}

// tell shows how far a job of the service is.
func (p *progress) tell(j view.Job) {
	if p.out == nil || j.Stage == "" {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.draw(j.Stage, j.Fraction, j.Left)
}

func (p *progress) draw(stage string, fraction, left float64) {
	const steps = 1000
	if p.bar == nil {
		p.bar = progressbar.NewOptions64(steps, progressbar.OptionSetWriter(p.out), progressbar.OptionClearOnFinish(),
			progressbar.OptionSetPredictTime(false), progressbar.OptionThrottle(100*time.Millisecond))
	}
	says := stage
	if left >= 1 {
		says = fmt.Sprintf("%s, about %.0f s left", stage, math.Ceil(left))
	}
	if says != p.says {
		p.says = says
		p.bar.Describe(says)
	}
	_ = p.bar.Set64(int64(fraction * steps)) // a bar that cannot be drawn is no reason to stop
}

// done takes the bar away.
func (p *progress) done() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.bar != nil {
		_ = p.bar.Clear()
		p.bar = nil
	}
}
