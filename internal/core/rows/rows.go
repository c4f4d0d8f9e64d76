// Package rows is the one row stream of the program: whatever makes rows fills
// it, and every writer drains it.
package rows

import "yoyaku/internal/core/eval"

// Sink takes the rows of a table: Header once, then Row for each, then Close.
// Cells are valid only during the call.
type Sink interface {
	Header(columns []string) error
	Row(cells []eval.Value) error
	Close() error
}
