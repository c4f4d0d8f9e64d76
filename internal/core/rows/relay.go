package rows

import "yoyaku/internal/core/eval"

// relay encodes and writes rows beside the work of making them, a batch at a time.
type relay struct {
	to    Blocks
	width int
	batch []eval.Value
	// full goes to the writer and comes back empty; nil while all rows fit in one batch.
	full, empty chan []eval.Value
	done        chan error
}

// relayed is how many cells make a batch.
const relayed = 8192

// put takes a row. All have the same number of cells.
func (r *relay) put(row []eval.Value) error {
	r.width = len(row)
	r.batch = append(r.batch, row...)
	if len(r.batch) < relayed {
		return nil
	}
	if r.full == nil {
		r.full, r.empty, r.done = make(chan []eval.Value), make(chan []eval.Value, 1), make(chan error, 1)
		r.empty <- nil
		go r.write(r.width)
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
func (r *relay) write(width int) {
	var out []byte
	for batch := range r.full {
		out = r.encode(out[:0], batch, width)
		if err := r.to.Block(out); err != nil {
			r.done <- err
			return
		}
		r.empty <- batch
	}
	r.done <- nil
}

func (r *relay) encode(b []byte, batch []eval.Value, width int) []byte {
	for ; len(batch) > 0; batch = batch[width:] {
		b = r.to.Encode(b, batch[:width])
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
	return r.to.Block(r.encode(nil, r.batch, r.width))
}
