package rows

// Quick reports whether the added columns are worked out without cells.
func (t *Table) Quick() bool { return t.lanes() != nil }

// Lower lowers the bounds of what a table may take, until restore is called.
func Lower() (restore func()) {
	was := most
	most = limits{written: volume{300, 9_000, 20}, held: volume{100, 4_000, 10}, work: 5_000, workEach: 10, text: 2_000, textEach: 50, textOver: 2, part: 500}
	return func() { most = was }
}
