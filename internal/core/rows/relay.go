package rows

import (
	"fmt"

	"yoyaku/internal/core/eval"
)

// relay encodes and writes rows beside the work of making them, a batch at a time.
type relay struct {
	to    Blocks
	width int // cells of a row
	batch []eval.Value
	// full goes to the writer and comes back empty; nil while all rows fit in one batch.
	full, empty chan []eval.Value
	done        chan error
}

// relayed is how many cells make a batch.
const relayed = 8192

// put takes a row.
func (r *relay) put(row []eval.Value) error {
	if len(row) != r.width {
		return fmt.Errorf("a row of %d cells for %d columns", len(row), r.width)
	}
	r.batch = append(r.batch, row...)
	if len(r.batch) < relayed {
		return nil
	}
	if r.full == nil {
		r.full, r.empty, r.done = make(chan []eval.Value), make(chan []eval.Value, 1), make(chan error, 1)
		r.empty <- nil
		go r.write()
	}
	select {
	case r.full <- r.batch:
		r.batch = (<-r.empty)[:0]
		return nil
	case err := <-r.done:
		r.done <- err // for end
		return err
	}
}

// write writes batches until there are no more, or one can't be written.
func (r *relay) write() {
	var out []byte
	for batch := range r.full {
		out = r.encode(out[:0], batch)
		if err := r.to.Block(out); err != nil {
			r.done <- err
			return
		}
		r.empty <- batch
	}
	r.done <- nil
}

func (r *relay) encode(b []byte, batch []eval.Value) []byte {
	for ; len(batch) > 0; batch = batch[r.width:] {
		b = r.to.Encode(b, batch[:r.width])
	}
	return b
}

// end waits for what is being written and, unless an error ends it all, writes the rest.
func (r *relay) end(err error) error {
	if r.full != nil {
		close(r.full)
		if failed := <-r.done; err == nil {
			err = failed
		}
	}
	if err != nil || len(r.batch) == 0 {
		return err
	}
	return r.to.Block(r.encode(nil, r.batch))
}
