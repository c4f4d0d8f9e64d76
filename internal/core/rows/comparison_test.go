package rows_test

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
)

// Tables in any order against a comparison of maps; nothing is matched by place.
func TestComparison(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 3))
	for range 300 {
		cell := func() string { return []string{"", "a", "b", "2027-01-01", "2027-01-05", "7"}[r.IntN(6)] }
		old, now := map[string][3]string{}, map[string][3]string{}
		for i := range 1 + r.IntN(40) {
			id := fmt.Sprint("K", i)
			if r.IntN(4) > 0 {
				old[id] = [3]string{id, cell(), cell()}
			}
			if now[id] = old[id]; r.IntN(3) == 0 || old[id][0] == "" {
				now[id] = [3]string{id, cell(), cell()}
			}
			if r.IntN(6) == 0 {
				delete(now, id)
			}
		}
		c, err := rows.NewComparison("id", []string{"id", "x", "y"}, []string{"y", "ID", "x"})
		if err != nil {
			t.Fatal(err)
		}
		value := func(s string) eval.Value { return eval.Str(s) }
		line := 1
		for _, row := range old { // in the order that maps have, which is none
			line++
			if err := c.AddOld(line, []eval.Value{value(row[0]), value(row[1]), value(row[2])}); err != nil {
				t.Fatal(err)
			}
		}
		if err := c.FinishOld(); err != nil {
			t.Fatal(err)
		}
		var got, want []string
		put := func(d schedule.Difference) { got = append(got, d.Change+" "+d.ID) }
		for _, row := range now {
			line++
			d, differs, err := c.CompareNew(line, []eval.Value{value(row[2]), value(row[0]), value(row[1])})
			if err != nil {
				t.Fatal(err)
			}
			if differs {
				put(d)
			}
		}
		for _, d := range c.Removed() {
			put(d)
		}
		for id, row := range now {
			was, ok := old[id]
			day := func(i int) bool { return strings.HasPrefix(was[i], "2027") && strings.HasPrefix(row[i], "2027") }
			x, y := was[1] != row[1], was[2] != row[2]
			switch {
			case !ok:
				want = append(want, "added "+id)
			case x && !y && day(1), y && !x && day(2):
				want = append(want, "moved "+id)
			case x || y:
				want = append(want, "changed "+id)
			}
		}
		for id := range old {
			if _, ok := now[id]; !ok {
				want = append(want, "gone "+id)
			}
		}
		slices.Sort(got)
		slices.Sort(want)
		if !slices.Equal(got, want) {
			t.Fatalf("%v to %v:\n%v, want\n%v", old, now, got, want)
		}
	}
}

// Rows that fill several blocks, some over more than one line: a key that stands twice is
// found with the lines it has in its table.
func TestComparisonTwice(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 3))
	for round := range 20 {
		c, err := rows.NewComparison("id", []string{"id", "x"}, []string{"id", "x"})
		if err != nil {
			t.Fatal(err)
		}
		n, line, lines := 2+round%2*r.IntN(8000), 1, []int{}
		a, b := r.IntN(n), r.IntN(n)
		for i := range n {
			line += 1 + r.IntN(10)/9
			lines = append(lines, line)
			id := i
			if i == max(a, b) {
				id = min(a, b)
			}
			if err := c.AddOld(line, []eval.Value{eval.Str(fmt.Sprint("K", id)), eval.Str(strings.Repeat("x", i%200))}); err != nil {
				t.Fatal(err)
			}
		}
		want := fmt.Sprintf("the key `id` is \"K%d\" in both line %d and line %d of the old table", min(a, b),
			lines[min(a, b)], lines[max(a, b)])
		if err := c.FinishOld(); a == b && err != nil || a != b && (err == nil || err.Error() != want) {
			t.Fatalf("%v, want %s", err, want)
		}
	}
}

// TestListCells: the filled cells but for the key, ten at most.
func TestListCells(t *testing.T) {
	var head []string
	var row []eval.Value
	for i := range 14 {
		head, row = append(head, fmt.Sprintf("c%d", i)), append(row, eval.Int(i))
	}
	row[3] = eval.Value{}
	if got, want := rows.ListCells(head, row, 0), "c1 1, c2 2, c4 4, c5 5, c6 6, c7 7, c8 8, c9 9, c10 10, c11 11 and 2 more"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
	if got, want := rows.ListCells(head[:3], row, 1), "c0 0, c2 2"; got != want {
		t.Errorf("%s, want %s", got, want)
	}
}
