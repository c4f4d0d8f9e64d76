package rows

import (
	"errors"
	"runtime"
	"slices"
	"strings"
	"sync"

	"yoyaku/internal/core/eval"
)

// BadCells collects cells at fault: the first few and the count of all.
type BadCells struct {
	First []*BadCell
	Count int
}

const maxListedCells = 10

func (b *BadCells) add(c *BadCell) {
	b.Count++
	if len(b.First) < maxListedCells {
		b.First = append(b.First, c)
	}
}

func (b *BadCells) merge(o BadCells) {
	b.Count += o.Count
	b.First = append(b.First, o.First[:min(len(o.First), maxListedCells-len(b.First))]...)
}

// Error lists the first cells at fault and counts the others.
func (b *BadCells) Error() string {
	return b.First[0].Error()
}

// BlockSink is a Sink whose rows can be encoded by many workers at once and are
// written as whole blocks, in order.
type BlockSink interface {
	Sink
	// Encode appends a row; it may be called by several goroutines at once.
	Encode(b []byte, cells []eval.Value) []byte
	// WriteBlock writes whole encoded rows.
	WriteBlock(b []byte) error
}

// TextSink is a Blocks that can write the text of a row as it came in.
type TextSink interface {
	BlockSink
	// AcceptsText reports whether rows with a separator can be written as they came in.
	AcceptsText(sep byte) bool
	// EncodeText appends such a row, and more cells behind it.
	EncodeText(b []byte, text string, extra []eval.Value) []byte
	// EncodeDays is EncodeText for a row of columns that are dates and whole numbers.
	EncodeDays(b []byte, text string, kinds []eval.Kind, columns [][]int32, row int) []byte
	// WriteText writes one.
	WriteText(text string, extra []eval.Value) error
}

// Expander puts rows beside a row of a table. A *BadCell makes that a bad row.
type Expander func(g SourceRow, put PutExtended) error

// SourceRow is a row that others are put beside.
type SourceRow struct {
	Line int
	Text string // what is in the file; "" if that isn't what is written
	// Row has the cells of the table and what was added; if there is a text, of the cells
	// only those that something is known to look at. Whole has all.
	Row   []eval.Value
	cells func(text string, row []eval.Value) []eval.Value
}

// AllCells is Row with all of its cells.
func (g *SourceRow) AllCells() []eval.Value {
	if g.Text == "" {
		return g.Row
	}
	cells := g.cells(g.Text, nil)
	return append(cells, g.Row[len(cells):]...)
}

// job is a batch on its way through the workers, done what becomes of it, part by part.
type job struct {
	batch Batch
	done  chan workerOutput
}

// workerOutput is what a worker made of a batch, or a part of that.
type workerOutput struct {
	out      []byte
	rejected []rejectedRow
	bad      BadCells
	err      error
	rowsKept int
	rowsIn   int  // rows of the table
	bytesIn  int  // bytes of their text, if others are put beside them
	isPart   bool // more follows
}

type rejectedRow struct {
	cells []eval.Value
	cell  *BadCell
}

const (
	// flushSize is how much of a batch is encoded before it is written: rows may become many.
	flushSize = 512 << 10
	// maxPendingParts is how many parts of a batch wait for those of an earlier one.
	maxPendingParts = 8
)

// Stream passes the table in order, on all processors, holding a few batches at
// a time. Rows with a bad cell go to t.Aside, with the reason behind them, where
// there is one; else they are dropped, unless t.Blank keeps them. What was bad
// is returned.
func (t *Table) Stream(to BlockSink) (bad BadCells, err error) {
	return t.stream(to, func() Expander { return nil })
}

// stream is Stream; each worker has an Expander of its own that puts the rows in place of
// the table's, unless that is nil.
func (t *Table) stream(to BlockSink, expander func() Expander) (bad BadCells, err error) {
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
			if part = res.isPart; res.err != nil {
				return bad, res.err
			}
			bad.merge(res.bad)
			if err := t.usage.CountRows(res.rowsIn); err != nil {
				return bad, err
			}
			if err := t.usage.countOutput(res.rowsKept, res.bytesIn, len(res.out)); err != nil {
				return bad, err
			}
			if err := to.WriteBlock(res.out); err != nil {
				return bad, err
			}
			for _, a := range res.rejected {
				if err := t.reject(a.cells, a.cell); err != nil {
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
		j := job{batch, make(chan workerOutput, maxPendingParts)}
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
	to       BlockSink
	textSink TextSink // if it is one
	expand   Expander
	put      PutExtended // what it puts with
	vector   *vectorRun  // nil if rows need their cells
	stop     <-chan struct{}
	buffers  <-chan []byte
	trace    []eval.Move
	buf      []eval.Value
	// Of the batch that is worked on:
	output   workerOutput
	done     chan<- workerOutput
	allCells func(string, []eval.Value) []eval.Value
}

// errStopped ends the work on a batch that nobody waits for any more.
var errStopped = errors.New("stopped")

func (w *worker) run(work <-chan job) {
	w.textSink, _ = w.to.(TextSink)
	w.put = w.putExtended
	if w.expand == nil {
		w.vector = w.vectorColumns().newRun(w.textSink, &w.output)
	}
	suits := func(sep byte) bool { return w.picked != nil || w.textSink != nil && w.textSink.AcceptsText(sep) }
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
		w.beginPart()
		var each func(do EachText) error
		each, w.allCells = w.rows(j.batch, suits, w.vector)
		if w.output.err = each(w.row); w.output.err == errStopped || w.sendPart() != nil {
			return
		}
	}
}

// beginPart begins a part of a batch.
func (w *worker) beginPart() {
	w.output = workerOutput{}
	select {
	case w.output.out = <-w.buffers:
	default:
		w.output.out = make([]byte, 0, flushSize)
	}
}

// sendPart hands the part on.
func (w *worker) sendPart() error {
	if w.Progress != nil {
		w.Progress.Add(int64(w.output.rowsIn))
	}
	select {
	case w.done <- w.output:
		return nil
	case <-w.stop:
		return errStopped
	}
}

// row works a row out.
func (w *worker) row(line int, text string, cells []eval.Value) error {
	w.output.rowsIn++
	if err := w.usage.checkWork(w.output.rowsIn); err != nil { // of this batch alone
		return err
	}
	row, keep, cell := w.EvalRow(line, cells, &w.trace)
	if err := w.usage.CountGrowth(text, row, w.inputs); err != nil {
		return err
	}
	switch {
	case !keep:
	case w.expand != nil:
		w.output.bytesIn += sizeOf(text, cells)
		if err := w.expand(SourceRow{line, text, row, w.allCells}, w.put); err != nil {
			var fault *BadCell
			if !errors.As(err, &fault) {
				return err
			}
			cell = fault
		}
	case text != "" && w.picked == nil:
		w.output.rowsKept++
		w.output.out = w.textSink.EncodeText(w.output.out, text, row[w.inputs:])
	default:
		w.output.rowsKept++
		w.buf = w.outputCells(row, w.buf)
		w.output.out = w.to.Encode(w.output.out, w.buf)
	}
	if cell != nil {
		w.output.bad.add(cell)
		if w.Rejects != nil {
			w.output.rejected = append(w.output.rejected, rejectedRow{cloned(w.allCells(text, cells)), cell})
		}
	}
	return w.maybeSend(limit.flushBytes)
}

// maybeSend hands on what is encoded so far if that is so many bytes.
func (w *worker) maybeSend(bytes int) error {
	if len(w.output.out) < bytes {
		return nil
	}
	w.output.isPart = true
	if err := w.sendPart(); err != nil {
		return err
	}
	w.beginPart()
	return nil
}

// putExtended puts more cells beside a row.
func (w *worker) putExtended(text string, row, extra []eval.Value) error {
	w.output.rowsKept++
	if text != "" {
		w.buf = w.behindText(w.buf, row, extra)
		w.output.out = w.textSink.EncodeText(w.output.out, text, w.buf)
	} else {
		w.buf = append(append(w.buf[:0], row...), extra...)
		w.output.out = w.to.Encode(w.output.out, w.buf)
	}
	return w.maybeSend(flushSize)
}

// behindText are the cells that stand behind the text of a row as it came in: those that were added
// to it, and extra.
func (t *Table) behindText(buf, row, extra []eval.Value) []eval.Value {
	buf = buf[:0]
	if len(row) > t.inputs {
		buf = append(buf, row[t.inputs:]...)
	}
	return append(buf, extra...)
}

// rows goes through the rows of a batch. If the separator suits, only the cells that
// are looked at are made, and a row comes with its text. whole is a row with all the cells
// that came in. Rows of which days are enough are done by quick, if it isn't nil.
func (t *Table) rows(batch Batch, suits func(sep byte) bool, quick *vectorRun) (each func(do EachText) error,
	whole func(string, []eval.Value) []eval.Value) {
	v, ok := batch.(TextBatch)
	if slots := t.usedInputs(); ok && slots != nil && suits != nil && suits(v.Separator()) {
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
		return cells[:t.inputs]
	}
}

// reject puts a row with a bad cell aside.
func (t *Table) reject(cells []eval.Value, cell *BadCell) error {
	return t.Rejects.Row(append(cells, eval.Str(cell.Reason())))
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
func (t *Table) Scan(each func(line int, row []eval.Value) error) (bad BadCells, err error) {
	trace := make([]eval.Move, 0, 8)
	for {
		batch, err := t.In.Next()
		if err != nil || batch == nil {
			return bad, err
		}
		n := int64(0)
		rows, whole := t.rows(batch, t.acceptsText, nil)
		err = rows(func(line int, text string, cells []eval.Value) error {
			n++
			t.Text = text
			if err := t.usage.CountRows(1); err != nil {
				return err
			}
			if t.usage.extended {
				t.usage.bytesIn += sizeOf(text, cells)
			}
			row, keep, cell := t.EvalRow(line, cells, &trace)
			if err := t.usage.CountGrowth(text, row, t.inputs); err != nil {
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
			if t.Rejects != nil {
				return t.reject(slices.Clone(whole(text, cells)), cell)
			}
			return nil
		})
		if t.Progress != nil {
			t.Progress.Add(n)
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
