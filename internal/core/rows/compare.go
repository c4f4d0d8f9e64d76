package rows

import (
	"cmp"
	"fmt"
	"hash/maphash"
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
	firsts   []int32          // of each block of the arena its first row
	places   []int32          // of the rows of the old table in their blocks
	jumps    [][2]int32       // rows from which on lines are ahead of them by a number
	seen     []int32          // line of the new table that has it
	index    []uint64         // of each the hash of its key, 32 bits, and its number; sorted
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

// hash is the upper half of an entry of the index.
func (c *Comparison) hash(id string) uint64 { return maphash.String(c.seed, id) &^ (1<<32 - 1) }

// id is the key of a row that is held.
func (c *Comparison) id(i int) string {
	block, first := slices.BinarySearch(c.firsts, int32(i))
	if !first {
		block--
	}
	_, c.room = c.arena.Load(Place{int32(block), c.places[i]}, c.room)
	return eval.KeyOf(c.room[c.oldKey])
}

// find finds the row of a key.
func (c *Comparison) find(id string) (i int, ok bool) {
	h := c.hash(id)
	at, _ := slices.BinarySearch(c.index, h)
	for ; at < len(c.index) && c.index[at]&^(1<<32-1) == h; at++ {
		if i = int(uint32(c.index[at])); c.id(i) == id {
			return i, true
		}
	}
	return 0, false
}

// Old takes a row of the old table.
func (c *Comparison) Old(line int, row []eval.Value) error {
	i, at := int32(len(c.places)), c.arena.Save(row)
	if at.First() {
		c.firsts = append(c.firsts, i)
	}
	c.places = append(c.places, at.at)
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
	c.seen, c.index = make([]int32, len(c.places)), make([]uint64, len(c.places))
	for i := range c.index {
		c.index[i] = c.hash(c.id(i)) | uint64(i)
	}
	slices.Sort(c.index)
	for at := 1; at < len(c.index); at++ {
		i := int(uint32(c.index[at]))
		for before := at - 1; before >= 0 && c.index[before]>>32 == c.index[at]>>32; before-- {
			if k, id := int(uint32(c.index[before])), strings.Clone(c.id(i)); c.id(k) == id {
				return fmt.Errorf("the key `%s` is %q in both line %d and line %d of the old table", c.Key,
					eval.Brief(id), c.line(k), c.line(i))
			}
		}
	}
	return nil
}

// New takes a row of the new table and says how it differs; ok is false if it
// doesn't.
func (c *Comparison) New(line int, row []eval.Value) (d schedule.Difference, ok bool, err error) {
	id := strings.Clone(eval.KeyOf(row[c.nowKey]))
	i, known := c.find(id)
	before := c.added[id]
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
