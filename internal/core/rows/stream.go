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

// Expander puts rows beside a row of a table. A *BadCell makes that a bad row.
type Expander func(g Given, put Beside) error

// Given is a row that others are put beside.
type Given struct {
	Line int
	Text string // what is in the file; "" if that isn't what is written
	// Row has the cells of the table and what was added; if there is a text, of the cells
	// only those that something is known to look at. Whole has all.
	Row   []eval.Value
	cells func(text string, row []eval.Value) []eval.Value
}

// Whole is Row with all of its cells.
func (g *Given) Whole() []eval.Value {
	if g.Text == "" {
		return g.Row
	}
	cells := g.cells(g.Text, nil)
	return append(cells, g.Row[len(cells):]...)
}

// job is a batch on its way through the workers, done what becomes of it, part by part.
type job struct {
	batch Batch
	done  chan worked
}

// worked is what a worker made of a batch, or a part of that.
type worked struct {
	out   []byte
	aside []putAside
	bad   Bad
	err   error
	kept  int
	seen  int  // rows of the table
	read  int  // bytes of their text, if others are put beside them
	part  bool // more follows
}

type putAside struct {
	cells []eval.Value
	cell  *BadCell
}

const (
	// partSize is how much of a batch is encoded before it is written: rows may become many.
	partSize = 512 << 10
	// partsAhead is how many parts of a batch wait for those of an earlier one.
	partsAhead = 8
)

// Stream passes the table in order, on all processors, holding a few batches at
// a time. Rows with a bad cell go to t.Aside, with the reason behind them, where
// there is one; else they are dropped, unless t.Blank keeps them. What was bad
// is returned.
func (t *Table) Stream(to Blocks) (bad Bad, err error) {
	return t.stream(to, func() Expander { return nil })
}

// stream is Stream; each worker has an Expander of its own that puts the rows in place of
// the table's, unless that is nil.
func (t *Table) stream(to Blocks, expander func() Expander) (bad Bad, err error) {
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
		w := &worker{Table: t, to: to, expand: expander(), stop: stop, buffers: buffers}
		wait.Go(func() { w.run(work) })
	}
	for j := range order {
		for part := true; part; {
			res := <-j.done
			if part = res.part; res.err != nil {
				return bad, res.err
			}
			bad.merge(res.bad)
			if err := t.spent.See(res.seen); err != nil {
				return bad, err
			}
			if err := t.spent.put(res.kept, res.read, len(res.out)); err != nil {
				return bad, err
			}
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
		j := job{batch, make(chan worked, partsAhead)}
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
type worker struct {
	*Table
	to      Blocks
	same    Textual // if it is one
	expand  Expander
	put     Beside // what it puts with
	quick   *run   // nil if rows need their cells
	stop    <-chan struct{}
	buffers <-chan []byte
	trace   []eval.Move
	room    []eval.Value
	// Of the batch that is worked on:
	made  worked
	done  chan<- worked
	whole func(string, []eval.Value) []eval.Value
}

// errStopped ends the work on a batch that nobody waits for any more.
var errStopped = errors.New("stopped")

func (w *worker) run(work <-chan job) {
	w.same, _ = w.to.(Textual)
	w.put = w.beside
	if w.expand == nil {
		w.quick = w.lanes().run(w.same, &w.made)
	}
	suits := func(sep byte) bool { return w.pick != nil || w.same != nil && w.same.Same(sep) }
	for {
		var j job
		select {
		case next, more := <-work:
			if j = next; !more {
				return
			}
		case <-w.stop:
			return
		}
		w.done = j.done
		w.begin()
		var each func(do EachText) error
		each, w.whole = w.rows(j.batch, suits, w.quick)
		if w.made.err = each(w.row); w.made.err == errStopped || w.send() != nil {
			return
		}
	}
}

// begin begins a part of a batch.
func (w *worker) begin() {
	w.made = worked{}
	select {
	case w.made.out = <-w.buffers:
	default:
		w.made.out = make([]byte, 0, partSize)
	}
}

// send hands the part on.
func (w *worker) send() error {
	if w.Done != nil {
		w.Done.Add(int64(w.made.seen))
	}
	select {
	case w.done <- w.made:
		return nil
	case <-w.stop:
		return errStopped
	}
}

// row works a row out.
func (w *worker) row(line int, text string, cells []eval.Value) error {
	w.made.seen++
	if err := w.spent.bears(w.made.seen); err != nil { // of this batch alone
		return err
	}
	row, keep, cell := w.Row(line, cells, &w.trace)
	if err := w.spent.Grown(text, row, w.in); err != nil {
		return err
	}
	switch {
	case !keep:
	case w.expand != nil:
		w.made.read += sizeOf(text, cells)
		if err := w.expand(Given{line, text, row, w.whole}, w.put); err != nil {
			var fault *BadCell
			if !errors.As(err, &fault) {
				return err
			}
			cell = fault
		}
	case text != "" && w.pick == nil:
		w.made.kept++
		w.made.out = w.same.EncodeText(w.made.out, text, row[w.in:])
	default:
		w.made.kept++
		w.room = w.Out(row, w.room)
		w.made.out = w.to.Encode(w.made.out, w.room)
	}
	if cell != nil {
		w.made.bad.add(cell)
		if w.Aside != nil {
			w.made.aside = append(w.made.aside, putAside{cloned(w.whole(text, cells)), cell})
		}
	}
	return w.part(most.part)
}

// part hands on what is encoded so far if that is so many bytes.
func (w *worker) part(bytes int) error {
	if len(w.made.out) < bytes {
		return nil
	}
	w.made.part = true
	if err := w.send(); err != nil {
		return err
	}
	w.begin()
	return nil
}

// beside puts more cells beside a row.
func (w *worker) beside(text string, row, more []eval.Value) error {
	w.made.kept++
	if text != "" {
		w.made.out = w.same.EncodeText(w.made.out, text, more)
	} else {
		w.room = append(append(w.room[:0], row...), more...)
		w.made.out = w.to.Encode(w.made.out, w.room)
	}
	return w.part(partSize)
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
			if err := t.spent.See(1); err != nil {
				return err
			}
			if t.spent.beside {
				t.spent.read += sizeOf(text, cells)
			}
			row, keep, cell := t.Row(line, cells, &trace)
			if err := t.spent.Grown(text, row, t.in); err != nil {
				return err
			}
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
