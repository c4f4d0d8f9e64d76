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
		var err error
		if out, err = r.encode(out, batch); err != nil {
			r.done <- err
			return
		}
		r.empty <- batch
	}
	r.done <- nil
}

// encode writes a batch, in blocks of some size if its rows are long.
func (r *relay) encode(b []byte, batch []eval.Value) ([]byte, error) {
	b = b[:0]
	for ; len(batch) > 0; batch = batch[r.width:] {
		if b = r.to.Encode(b, batch[:r.width]); len(b) >= most.part {
			if err := r.to.Block(b); err != nil {
				return b, err
			}
			b = b[:0]
		}
	}
	return b, r.to.Block(b)
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
	_, err = r.encode(nil, r.batch)
	return err
}
