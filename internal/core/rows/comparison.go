package rows

import (
	"cmp"
	"fmt"
	"hash/maphash"
	"math/bits"
	"slices"
	"strings"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// Comparison compares two tables row by row, matched by a key, never by place. The
// rows of the old one are held in little more room than their text takes.
type Comparison struct {
	Key           string
	old, now      []string // columns
	oldKey        int
	nowKey        int
	commonColumns [][2]int // places of the columns that both have, without the key
	arena         Arena
	rows          int              // of the old table
	firsts        []int32          // of each block of the arena its first row
	offsets       []int32          // in their blocks, of the first row of each and every nearby-th behind it
	blockOffsets  []int32          // of each block the place of its first row in places
	lineJumps     [][2]int32       // rows from which on lines are ahead of them by a number
	seen          []int32          // line of the new table that has it
	index         []uint32         // by the hashes of keys: some bits of that and a row, or 0
	indexRowBits  int              // of an entry that are the row and one more
	added         map[string]int32 // keys of the new table alone, with their lines
	buf           []eval.Value
	seed          maphash.Seed
}

// NewComparison prepares to compare tables with the given columns.
func NewComparison(key string, old, now []string) (*Comparison, error) {
	c := &Comparison{Key: key, old: old, now: now, oldKey: ColumnIndex(old, UnquoteName(key)), nowKey: ColumnIndex(now, UnquoteName(key)),
		added: map[string]int32{}, seed: maphash.MakeSeed()}
	if c.oldKey < 0 {
		return nil, WrapOption("key", UnknownColumn(UnquoteName(key), old))
	}
	if c.nowKey < 0 {
		return nil, WrapOption("key", UnknownColumn(UnquoteName(key), now))
	}
	for i, name := range now {
		if k := ColumnIndex(old, name); k >= 0 && i != c.nowKey {
			c.commonColumns = append(c.commonColumns, [2]int{k, i})
		}
	}
	return c, nil
}

// Columns are the columns that one table alone has, which aren't compared.
func (c *Comparison) Columns() (gone, added []string) {
	for _, name := range c.old {
		if ColumnIndex(c.now, name) < 0 {
			gone = append(gone, name)
		}
	}
	for _, name := range c.now {
		if ColumnIndex(c.old, name) < 0 {
			added = append(added, name)
		}
	}
	return gone, added
}

// rowsPerOffset is how many rows share a place: the others are found from there.
const rowsPerOffset = 4

// keyOf is the key of a row that is held.
func (c *Comparison) keyOf(i int) string {
	block, first := slices.BinarySearch(c.firsts, int32(i))
	if !first {
		block--
	}
	off := i - int(c.firsts[block])
	rest := c.arena.sealed[block][c.offsets[int(c.blockOffsets[block])+off/rowsPerOffset]:]
	for range off%rowsPerOffset + 1 {
		rest, _, c.buf = LoadNext(rest, c.buf)
	}
	return eval.CellKey(c.buf[c.oldKey])
}

// find is where a key is in the index, with its row; below 0 for one that isn't there, and
// where it may be put then. mark is what stands beside the row.
func (c *Comparison) find(id string) (at, row int, mark uint32) {
	h := maphash.String(c.seed, id)
	rows := uint32(1)<<c.indexRowBits - 1
	mark = uint32(h) &^ rows
	for at = int(h >> 32 * uint64(len(c.index)) >> 32); ; at++ {
		if at == len(c.index) {
			at = 0
		}
		e := c.index[at]
		if row = int(e&rows) - 1; row < 0 || e&^rows == mark && c.keyOf(row) == id {
			return at, row, mark
		}
	}
}

// AddOld takes a row of the old table.
func (c *Comparison) AddOld(line int, row []eval.Value) error {
	i, at := int32(c.rows), c.arena.Save(row)
	if c.rows++; at.IsFirst() {
		c.firsts, c.blockOffsets = append(c.firsts, i), append(c.blockOffsets, int32(len(c.offsets)))
	}
	if (i-c.firsts[len(c.firsts)-1])%rowsPerOffset == 0 {
		c.offsets = append(c.offsets, at.at)
	}
	if by := int32(line) - i; len(c.lineJumps) == 0 || c.lineJumps[len(c.lineJumps)-1][1] != by {
		c.lineJumps = append(c.lineJumps, [2]int32{i, by})
	}
	return nil
}

// line is that of a row of the old table.
func (c *Comparison) line(i int) int32 {
	at, _ := slices.BinarySearchFunc(c.lineJumps, int32(i+1), func(jump [2]int32, i int32) int { return cmp.Compare(jump[0], i) })
	return int32(i) + c.lineJumps[at-1][1]
}

// FinishOld ends the old table. A key that stands twice in it is an error.
func (c *Comparison) FinishOld() error {
	c.arena.Blocks()
	c.seen = make([]int32, c.rows)
	c.index, c.indexRowBits = make([]uint32, c.rows+c.rows/3+1), bits.Len(uint(c.rows))
	for i := range c.rows {
		id := c.keyOf(i)
		at, before, mark := c.find(id)
		if before >= 0 {
			return fmt.Errorf("the key `%s` is %q in both line %d and line %d of the old table", c.Key,
				eval.Truncate(id), c.line(before), c.line(i))
		}
		c.index[at] = mark | uint32(i+1)
	}
	return nil
}

// CompareNew takes a row of the new table and says how it differs; ok is false if it
// doesn't.
func (c *Comparison) CompareNew(line int, row []eval.Value) (d schedule.Difference, ok bool, err error) {
	id := strings.Clone(eval.CellKey(row[c.nowKey]))
	_, i, _ := c.find(id)
	known, before := i >= 0, c.added[id]
	if known {
		before = c.seen[i]
	}
	switch {
	case before > 0:
		return d, false, fmt.Errorf("the key `%s` is %q in both line %d and line %d of the new table",
			c.Key, eval.Truncate(id), before, line)
	case !known:
		c.added[id] = int32(line)
		return schedule.Difference{Change: "added", ID: id, Detail: listCells(c.now, row, c.nowKey)}, true, nil
	}
	c.seen[i] = int32(line)
	d = schedule.Difference{ID: id}
	var parts []string
	dates, other := 0, 0
	for _, at := range c.commonColumns {
		was, now := c.buf[at[0]], row[at[1]]
		if eval.CellKey(was) == eval.CellKey(now) {
			continue
		}
		parts = append(parts, fmt.Sprintf("%s: %s → %s", c.now[at[1]], blankText(was), blankText(now)))
		a, aday := eval.AsDate(was)
		b, bday := eval.AsDate(now)
		if aday && bday {
			if dates++; dates == 1 {
				d.What, d.Was, d.Now = c.now[at[1]], a, b
			}
		} else {
			other++
		}
	}
	switch {
	case parts == nil:
		return d, false, nil
	case dates == 1 && other == 0:
		d.Change = "moved"
	default:
		d.Change, d.Detail = "changed", strings.Join(parts, "; ")
	}
	return d, true, nil
}

// maxListedValues is how many cells of a row are listed.
const maxListedValues = 10

// listCells lists the filled cells of a row by their columns, but for its key.
func listCells(columns []string, row []eval.Value, key int) string {
	var parts []string
	for i, name := range columns {
		if s := row[i].String(); i != key && strings.TrimSpace(s) != "" {
			parts = append(parts, name+" "+s)
		}
	}
	if n := len(parts) - maxListedValues; n > 0 {
		return fmt.Sprintf("%s and %d more", strings.Join(parts[:maxListedValues], ", "), n)
	}
	return strings.Join(parts, ", ")
}

func blankText(v eval.Value) string {
	if s := v.String(); s != "" {
		return s
	}
	return "(blank)"
}

// Removed lists the rows of the old table that the new one hasn't, in its order.
func (c *Comparison) Removed() (list []schedule.Difference) {
	for i, line := range c.seen {
		if line == 0 {
			id := strings.Clone(c.keyOf(i)) // which reads the row
			list = append(list, schedule.Difference{Change: "gone", ID: id, Detail: listCells(c.old, c.buf, c.oldKey)})
		}
	}
	return list
}
