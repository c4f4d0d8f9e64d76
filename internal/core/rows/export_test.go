package rows

// Quick reports whether the added columns are worked out without cells.
func (t *Table) Quick() bool { return t.vectorColumns() != nil }

// Lower lowers the bounds of what a table may take, until restore is called.
func Lower() (restore func()) {
	was := limit
	limit = tableLimits{maxOutput: volumeLimit{300, 9_000, 20}, maxSorted: volumeLimit{100, 4_000, 10}, work: 5_000, workEach: 10, text: 2_000, textEach: 50, textOver: 2, flushBytes: 500}
	return func() { limit = was }
}

var ListCells = listCells
