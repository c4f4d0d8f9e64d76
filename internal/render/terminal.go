package render

import (
	"io"
	"os"
	"sync/atomic"
	"time"

	"github.com/schollz/progressbar/v3"
	"golang.org/x/term"
)

// Terminal returns the columns of a terminal, 80 if it doesn't say; ok is false if w
// is none.
func Terminal(w io.Writer) (width int, ok bool) {
	f, isFile := w.(*os.File)
	if !isFile || !term.IsTerminal(int(f.Fd())) {
		return 0, false
	}
	if w, _, err := term.GetSize(int(f.Fd())); err == nil && w > 0 {
		return w, true
	}
	return 80, true
}

// Progress shows on w, if that is a terminal, how many rows, or other things, are done, for work of
// over a second. done is nil if nothing is shown; call stop at the end.
func Progress(w io.Writer, of string) (done *atomic.Int64, stop func()) {
	if _, ok := Terminal(w); !ok {
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
					bar = progressbar.NewOptions64(-1, progressbar.OptionSetWriter(w), progressbar.OptionSetDescription(of), progressbar.OptionShowCount())
				}
				_ = bar.Set64(done.Load())
			}
		}
	}()
	return done, func() { close(quit); <-ended }
}
