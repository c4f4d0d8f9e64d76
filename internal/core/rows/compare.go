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
	Key      string
	old, now []string // columns
	oldKey   int
	nowKey   int
	both     [][2]int // places of the columns that both have, without the key
	arena    Arena
	rows     int              // of the old table
	firsts   []int32          // of each block of the arena its first row
	places   []int32          // in their blocks, of the first row of each and every nearby-th behind it
	starts   []int32          // of each block the place of its first row in places
	jumps    [][2]int32       // rows from which on lines are ahead of them by a number
	seen     []int32          // line of the new table that has it
	index    []uint32         // by the hashes of keys: some bits of that and a row, or 0
	rowBits  int              // of an entry that are the row and one more
	added    map[string]int32 // keys of the new table alone, with their lines
	room     []eval.Value
	seed     maphash.Seed
}

// NewComparison prepares to compare tables with the given columns.
func NewComparison(key string, old, now []string) (*Comparison, error) {
	c := &Comparison{Key: key, old: old, now: now, oldKey: Find(old, Unquote(key)), nowKey: Find(now, Unquote(key)),
		added: map[string]int32{}, seed: maphash.MakeSeed()}
	if c.oldKey < 0 {
		return nil, In("key", UnknownColumn(Unquote(key), old))
	}
	if c.nowKey < 0 {
		return nil, In("key", UnknownColumn(Unquote(key), now))
	}
	for i, name := range now {
		if k := Find(old, name); k >= 0 && i != c.nowKey {
			c.both = append(c.both, [2]int{k, i})
		}
	}
	return c, nil
}

// Columns are the columns that one table alone has, which aren't compared.
func (c *Comparison) Columns() (gone, added []string) {
	for _, name := range c.old {
		if Find(c.now, name) < 0 {
			gone = append(gone, name)
		}
	}
	for _, name := range c.now {
		if Find(c.old, name) < 0 {
			added = append(added, name)
		}
	}
	return gone, added
}

// nearby is how many rows share a place: the others are found from there.
const nearby = 4

// id is the key of a row that is held.
func (c *Comparison) id(i int) string {
	block, first := slices.BinarySearch(c.firsts, int32(i))
	if !first {
		block--
	}
	off := i - int(c.firsts[block])
	rest := c.arena.full[block][c.places[int(c.starts[block])+off/nearby]:]
	for range off%nearby + 1 {
		rest, _, c.room = LoadNext(rest, c.room)
	}
	return eval.KeyOf(c.room[c.oldKey])
}

// place is where a key is in the index, with its row; below 0 for one that isn't there, and
// where it may be put then. mark is what stands beside the row.
func (c *Comparison) place(id string) (at, row int, mark uint32) {
	h := maphash.String(c.seed, id)
	rows := uint32(1)<<c.rowBits - 1
	mark = uint32(h) &^ rows
	for at = int(h >> 32 * uint64(len(c.index)) >> 32); ; at++ {
		if at == len(c.index) {
			at = 0
		}
		e := c.index[at]
		if row = int(e&rows) - 1; row < 0 || e&^rows == mark && c.id(row) == id {
			return at, row, mark
		}
	}
}

// Old takes a row of the old table.
func (c *Comparison) Old(line int, row []eval.Value) error {
	i, at := int32(c.rows), c.arena.Save(row)
	if c.rows++; at.First() {
		c.firsts, c.starts = append(c.firsts, i), append(c.starts, int32(len(c.places)))
	}
	if (i-c.firsts[len(c.firsts)-1])%nearby == 0 {
		c.places = append(c.places, at.at)
	}
	if by := int32(line) - i; len(c.jumps) == 0 || c.jumps[len(c.jumps)-1][1] != by {
		c.jumps = append(c.jumps, [2]int32{i, by})
	}
	return nil
}

// line is that of a row of the old table.
func (c *Comparison) line(i int) int32 {
	at, _ := slices.BinarySearchFunc(c.jumps, int32(i+1), func(jump [2]int32, i int32) int { return cmp.Compare(jump[0], i) })
	return int32(i) + c.jumps[at-1][1]
}

// Whole ends the old table. A key that stands twice in it is an error.
func (c *Comparison) Whole() error {
	c.arena.Blocks()
	c.seen = make([]int32, c.rows)
	c.index, c.rowBits = make([]uint32, c.rows+c.rows/3+1), bits.Len(uint(c.rows))
	for i := range c.rows {
		id := c.id(i)
		at, before, mark := c.place(id)
		if before >= 0 {
			return fmt.Errorf("the key `%s` is %q in both line %d and line %d of the old table", c.Key,
				eval.Brief(id), c.line(before), c.line(i))
		}
		c.index[at] = mark | uint32(i+1)
	}
	return nil
}

// New takes a row of the new table and says how it differs; ok is false if it
// doesn't.
func (c *Comparison) New(line int, row []eval.Value) (d schedule.Difference, ok bool, err error) {
	id := strings.Clone(eval.KeyOf(row[c.nowKey]))
	_, i, _ := c.place(id)
	known, before := i >= 0, c.added[id]
	if known {
		before = c.seen[i]
	}
	switch {
	case before > 0:
		return d, false, fmt.Errorf("the key `%s` is %q in both line %d and line %d of the new table",
			c.Key, eval.Brief(id), before, line)
	case !known:
		c.added[id] = int32(line)
		return schedule.Difference{Change: "added", ID: id}, true, nil
	}
	c.seen[i] = int32(line)
	d = schedule.Difference{ID: id}
	var parts []string
	dates, other := 0, 0
	for _, at := range c.both {
		was, now := c.room[at[0]], row[at[1]]
		if eval.KeyOf(was) == eval.KeyOf(now) {
			continue
		}
		parts = append(parts, fmt.Sprintf("%s: %s → %s", c.now[at[1]], orNothing(was), orNothing(now)))
		a, aday := eval.DayOf(was)
		b, bday := eval.DayOf(now)
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

func orNothing(v eval.Value) string {
	if s := v.String(); s != "" {
		return s
	}
	return "(blank)"
}

// Gone lists the rows of the old table that the new one hasn't, in its order.
func (c *Comparison) Gone() (list []schedule.Difference) {
	for i, line := range c.seen {
		if line == 0 {
			list = append(list, schedule.Difference{Change: "gone", ID: strings.Clone(c.id(i))})
		}
	}
	return list
}
