package cli

import (
	"io"
	"sync"

	"github.com/schollz/progressbar/v3"
)

// progress shows how far a long job is: a bar on a terminal, nothing elsewhere. Its methods may be called from several
// goroutines at once.
type progress struct {
	mu    sync.Mutex
	out   io.Writer // nil: no terminal
	bar   *progressbar.ProgressBar
	stage string
}

func newProgress(out io.Writer) *progress {
	if !isTerminal(out) {
		return &progress{}
	}
	return &progress{out: out}
}

func (p *progress) set(stage string, done, total int64) {
	if p.out == nil {
		return
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.stage != stage {
		p.clear()
		p.stage = stage
		p.bar = progressbar.NewOptions64(max(total, 1), progressbar.OptionSetWriter(p.out), progressbar.OptionSetDescription(stage),
			progressbar.OptionClearOnFinish(), progressbar.OptionShowCount(), progressbar.OptionThrottle(100_000_000))
	}
	_ = p.bar.Set64(min(done, max(total, 1))) // a bar that cannot be drawn is no reason to stop
}

func (p *progress) clear() {
	if p.bar != nil {
		_ = p.bar.Clear()
		p.bar = nil
	}
}

// done takes the bar away.
func (p *progress) done() {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.clear()
	p.stage = ""
}
