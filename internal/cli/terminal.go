package cli

import (
	"os"
	"sync/atomic"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

func isTerminal(f *os.File) bool { return term.IsTerminal(int(f.Fd())) }

// terminalWidth returns the columns of a terminal; 80 where it doesn't say.
func terminalWidth(f *os.File) int {
	if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
		return w
	}
	return 80
}

// progress shows on a terminal how many rows, or other things, are done, for work of
// over a second. done is nil where nothing is shown; call stop at the end.
func (a *App) progress(of string) (done *atomic.Int64, stop func()) {
	f, isFile := a.Err.(*os.File)
	if a.quiet || !isFile || !isTerminal(f) {
		return nil, func() {}
	}
	done = &atomic.Int64{}
	quit, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(time.Second)
		defer tick.Stop()
		var bar *progressbar.ProgressBar
		for {
			select {
			case <-quit:
				if bar != nil {
					_ = bar.Clear()
				}
				return
			case <-tick.C:
				if bar == nil {
					bar = progressbar.NewOptions64(-1, progressbar.OptionSetWriter(f), progressbar.OptionSetDescription(of), progressbar.OptionShowCount())
				}
				_ = bar.Set64(done.Load())
			}
		}
	}()
	return done, func() { close(quit); <-ended }
}
