package rows

import (
	"errors"
	"io"
	"runtime"
	"slices"
	"sync/atomic"

	"yoyaku/internal/core/eval"
)

// Bad collects cells at fault: the first few and the count of all.
type Bad struct {
	First []*BadCell
	Count int
}

const mostShown = 10

func (b *Bad) add(c *BadCell) {
	b.Count++
	if len(b.First) < mostShown {
		b.First = append(b.First, c)
	}
}

func (b *Bad) merge(o Bad) {
	b.Count += o.Count
	b.First = append(b.First, o.First[:min(len(o.First), mostShown-len(b.First))]...)
}

// Error lists the first cells at fault and counts the others.
func (b *Bad) Error() string {
	return b.First[0].Error()
}

// Encoder appends a row to b as its format has it.
type Encoder func(b []byte, cells []eval.Value) []byte

// Stream passes a table through d in order, on all processors, holding a few
// batches at a time. Rows with a bad cell go to aside, with the reason behind
// them, where aside isn't nil; else they are dropped from the output, unless
// d.Blank keeps them. What was bad is returned; done counts rows as they pass.
func Stream(r Reader, d *Derive, encode Encoder, to, aside io.Writer, done *atomic.Int64) (bad Bad, err error) {
	type result struct {
		out, aside []byte
		bad        Bad
		err        error
	}
	type job struct {
		batch Batch
		done  chan result
	}
	workers := runtime.GOMAXPROCS(0)
	work := make(chan job)
	order := make(chan job, 2*workers)
	stop := make(chan struct{})
	var readErr error
	go func() { // reads batches and keeps their order
		defer close(order)
		defer close(work)
		for {
			batch, err := r.Next()
			if err != nil || batch == nil {
				readErr = err
				return
			}
			j := job{batch, make(chan result, 1)}
			select {
			case order <- j:
			case <-stop:
				return
			}
			select {
			case work <- j:
			case <-stop:
				return
			}
		}
	}()
	buffers := make(chan []byte, 4*workers)
	buffer := func() []byte {
		select {
		case b := <-buffers:
			return b[:0]
		default:
			return make([]byte, 0, 512<<10)
		}
	}
	for range workers {
		go func() {
			trace := make([]eval.Move, 0, 8)
			var room []eval.Value
			for j := range work {
				res := result{out: buffer()}
				n := int64(0)
				res.err = j.batch.Each(func(line int, cells []eval.Value) error {
					n++
					row, keep, cell := d.Row(line, cells, trace)
					if cell != nil {
						res.bad.add(cell)
						if aside != nil {
							res.aside = encode(res.aside, append(slices.Clone(cells[:d.in]), eval.Str(cell.Reason())))
						}
					}
					if keep {
						room = d.Out(row, room)
						res.out = encode(res.out, room)
					}
					return nil
				})
				if done != nil {
					done.Add(n)
				}
				j.done <- res
			}
		}()
	}
	defer close(stop)
	for j := range order {
		res := <-j.done
		if res.err != nil {
			return bad, res.err
		}
		bad.merge(res.bad)
		if _, err := to.Write(res.out); err != nil {
			return bad, err
		}
		if len(res.aside) > 0 {
			if _, err := aside.Write(res.aside); err != nil {
				return bad, err
			}
		}
		select {
		case buffers <- res.out:
		default:
		}
	}
	return bad, readErr
}

// Scan passes a table through d one row at a time, for outputs that need the
// rows themselves. Cells are valid only during the call.
func Scan(r Reader, d *Derive, each func(line int, row []eval.Value) error, aside func(cells []eval.Value, cell *BadCell) error) (bad Bad, err error) {
	trace := make([]eval.Move, 0, 8)
	for {
		batch, err := r.Next()
		if err != nil || batch == nil {
			return bad, err
		}
		err = batch.Each(func(line int, cells []eval.Value) error {
			row, keep, cell := d.Row(line, cells, trace)
			var fault *BadCell
			if keep {
				if err := each(line, row); errors.As(err, &fault) {
					cell = fault
				} else if err != nil {
					return err
				}
			}
			if cell != nil {
				bad.add(cell)
				if aside != nil {
					return aside(cells[:d.in], cell)
				}
			}
			return nil
		})
		if err != nil {
			return bad, err
		}
	}
}

// Reason is the fault without its place.
func (e *BadCell) Reason() string {
	var message interface{ Reason() string }
	if errors.As(e.Err, &message) {
		return e.Column + ": " + message.Reason()
	}
	return e.Column + ": " + e.Err.Error()
}
