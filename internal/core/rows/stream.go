package rows

import (
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync"

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

// Blocks is a Sink whose rows can be encoded by many workers at once and are
// written as whole blocks, in order.
type Blocks interface {
	Sink
	// Encode appends a row; it may be called by several goroutines at once.
	Encode(b []byte, cells []eval.Value) []byte
	// Block writes whole encoded rows.
	Block(b []byte) error
}

// Textual is a Blocks that can write the text of a row as it came in.
type Textual interface {
	Blocks
	// Same reports whether rows with a separator can be written as they came in.
	Same(sep byte) bool
	// EncodeText appends such a row, and more cells behind it.
	EncodeText(b []byte, text string, more []eval.Value) []byte
	// EncodeDays is EncodeText for a row of columns that are dates and whole numbers.
	EncodeDays(b []byte, text string, kinds []eval.Kind, columns [][]int32, row int) []byte
	// RowText writes one.
	RowText(text string, more []eval.Value) error
}

// job is a batch on its way through the workers, done what has become of it.
type job struct {
	batch Batch
	done  chan worked
}

// worked is what a worker made of a batch.
type worked struct {
	out   []byte
	aside []putAside
	bad   Bad
	err   error
	kept  int
}

type putAside struct {
	cells []eval.Value
	cell  *BadCell
}

// Stream passes the table in order, on all processors, holding a few batches at
// a time. Rows with a bad cell go to t.Aside, with the reason behind them, where
// there is one; else they are dropped, unless t.Blank keeps them. What was bad
// is returned.
func (t *Table) Stream(to Blocks) (bad Bad, err error) {
	workers := runtime.GOMAXPROCS(0)
	work, order := make(chan job), make(chan job, 2*workers)
	stop := make(chan struct{})
	var wait sync.WaitGroup
	defer func() { // nobody looks at the table any more, but what may wait for its input
		close(stop)
		wait.Wait()
	}()
	var readErr error
	go t.feed(work, order, stop, &readErr)
	buffers := make(chan []byte, 4*workers)
	for range workers {
		wait.Go(func() { t.worker(to, work, stop, buffers) })
	}
	for j := range order {
		res := <-j.done
		if res.err != nil {
			return bad, res.err
		}
		bad.merge(res.bad)
		t.kept += res.kept
		if err := to.Block(res.out); err != nil {
			return bad, err
		}
		for _, a := range res.aside {
			if err := t.setAside(a.cells, a.cell); err != nil {
				return bad, err
			}
		}
		select {
		case buffers <- res.out[:0]:
		default:
		}
	}
	return bad, readErr
}

// feed reads batches for the workers and keeps their order. failed is set before
// order is closed.
func (t *Table) feed(work, order chan<- job, stop <-chan struct{}, failed *error) {
	defer close(work)
	defer close(order)
	for {
		batch, err := t.In.Next()
		if err != nil || batch == nil {
			*failed = err
			return
		}
		j := job{batch, make(chan worked, 1)}
		for _, to := range []chan<- job{order, work} {
			select {
			case to <- j:
			case <-stop:
				return
			}
		}
	}
}

// worker works batches out into buffers that have been written, or new ones.
func (t *Table) worker(to Blocks, work <-chan job, stop <-chan struct{}, buffers <-chan []byte) {
	trace := make([]eval.Move, 0, 8)
	var room []eval.Value
	same, _ := to.(Textual)
	suits := func(sep byte) bool { return t.pick != nil || same != nil && same.Same(sep) }
	quick := t.lanes().run(same)
	for {
		var j job
		select {
		case next, more := <-work:
			if j = next; !more {
				return
			}
		case <-stop:
			return
		}
		var res worked
		select {
		case res.out = <-buffers:
		default:
			res.out = make([]byte, 0, 512<<10)
		}
		n := int64(0)
		if quick != nil {
			quick.out, quick.count = &res.out, 0
		}
		each, whole := t.rows(j.batch, suits, quick)
		res.err = each(func(line int, text string, cells []eval.Value) error {
			n++
			row, keep, cell := t.Row(line, cells, &trace)
			if cell != nil {
				res.bad.add(cell)
				if t.Aside != nil {
					res.aside = append(res.aside, putAside{cloned(whole(text, cells)), cell})
				}
			}
			if keep {
				res.kept++
			}
			switch {
			case !keep:
			case text != "" && t.pick == nil:
				res.out = same.EncodeText(res.out, text, row[t.in:])
			default:
				room = t.Out(row, room)
				res.out = to.Encode(res.out, room)
			}
			return nil
		})
		if quick != nil {
			n, res.kept = n+int64(quick.count), res.kept+quick.count
		}
		if t.Done != nil {
			t.Done.Add(n)
		}
		j.done <- res
	}
}

// rows goes through the rows of a batch. If the separator suits, only the cells that
// are looked at are made, and a row comes with its text. whole is a row with all the cells
// that came in. Rows of which days are enough are done by quick, if it isn't nil.
func (t *Table) rows(batch Batch, suits func(sep byte) bool, quick *run) (each func(do EachText) error,
	whole func(string, []eval.Value) []eval.Value) {
	v, ok := batch.(Verbatim)
	if slots := t.looked(); ok && slots != nil && suits != nil && suits(v.Separator()) {
		each = func(do EachText) error {
			if quick != nil {
				return quick.each(v, do)
			}
			return v.EachText(slots, do)
		}
	} else {
		each = func(do EachText) error {
			return batch.Each(func(line int, cells []eval.Value) error { return do(line, "", cells) })
		}
	}
	return each, func(text string, cells []eval.Value) []eval.Value {
		if text != "" {
			return v.Cells(text)
		}
		return cells[:t.in]
	}
}

// setAside puts a row with a bad cell aside.
func (t *Table) setAside(cells []eval.Value, cell *BadCell) error {
	return t.Aside.Row(append(cells, eval.Str(cell.Reason())))
}

// cloned copies cells out of the block that they are parts of.
func cloned(cells []eval.Value) []eval.Value {
	cells = slices.Clone(cells)
	for i := range cells {
		cells[i].Text = strings.Clone(cells[i].Text)
	}
	return cells
}

// Scan passes the table one row at a time, for answers that need the rows
// themselves; each gets a row with its hidden cells, valid only during the call.
// A *BadCell that each returns is a bad cell of the row.
func (t *Table) Scan(each func(line int, row []eval.Value) error) (bad Bad, err error) {
	trace := make([]eval.Move, 0, 8)
	for {
		batch, err := t.In.Next()
		if err != nil || batch == nil {
			return bad, err
		}
		n := int64(0)
		rows, whole := t.rows(batch, t.lean, nil)
		err = rows(func(line int, text string, cells []eval.Value) error {
			n++
			t.Text = text
			row, keep, cell := t.Row(line, cells, &trace)
			if keep {
				if err := each(line, row); err != nil {
					var fault *BadCell
					if !errors.As(err, &fault) {
						return err
					}
					cell = fault
				}
			}
			if cell == nil {
				return nil
			}
			bad.add(cell)
			if t.Aside != nil {
				return t.setAside(slices.Clone(whole(text, cells)), cell)
			}
			return nil
		})
		if t.Done != nil {
			t.Done.Add(n)
		}
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
