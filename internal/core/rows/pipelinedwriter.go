package rows

import (
	"fmt"

	"yoyaku/internal/core/eval"
)

// pipelinedWriter encodes and writes rows beside the work of making them, a batch at a time.
type pipelinedWriter struct {
	to    BlockSink
	width int // cells of a row
	batch []eval.Value
	// filled goes to the writer and comes back empty; nil while all rows fit in one batch.
	filled, free chan []eval.Value
	done         chan error
}

// batchCells is how many cells make a batch.
const batchCells = 8192

// put takes a row.
func (r *pipelinedWriter) put(row []eval.Value) error {
	if len(row) != r.width {
		return fmt.Errorf("a row of %d cells for %d columns", len(row), r.width)
	}
	r.batch = append(r.batch, row...)
	if len(r.batch) < batchCells {
		return nil
	}
	if r.filled == nil {
		r.filled, r.free, r.done = make(chan []eval.Value), make(chan []eval.Value, 1), make(chan error, 1)
		r.free <- nil
		go r.write()
	}
	select {
	case r.filled <- r.batch:
		r.batch = (<-r.free)[:0]
		return nil
	case err := <-r.done:
		r.done <- err // for end
		return err
	}
}

// write writes batches until there are no more, or one can't be written.
func (r *pipelinedWriter) write() {
	var out []byte
	for batch := range r.filled {
		var err error
		if out, err = r.encode(out, batch); err != nil {
			r.done <- err
			return
		}
		r.free <- batch
	}
	r.done <- nil
}

// encode writes a batch, in blocks of some size if its rows are long.
func (r *pipelinedWriter) encode(b []byte, batch []eval.Value) ([]byte, error) {
	b = b[:0]
	for ; len(batch) > 0; batch = batch[r.width:] {
		if b = r.to.Encode(b, batch[:r.width]); len(b) >= limit.flushBytes {
			if err := r.to.WriteBlock(b); err != nil {
				return b, err
			}
			b = b[:0]
		}
	}
	return b, r.to.WriteBlock(b)
}

// end waits for what is being written and, unless an error ends it all, writes the rest.
func (r *pipelinedWriter) end(err error) error {
	if r.filled != nil {
		close(r.filled)
		if failed := <-r.done; err == nil {
			err = failed
		}
	}
	if err != nil || len(r.batch) == 0 {
		return err
	}
	_, err = r.encode(nil, r.batch)
	return err
}
