package rows_test

import (
	"bytes"
	"fmt"
	"iter"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

// Many blocks on many workers give the same bytes as one row at a time, bad
// rows and their order included.
func TestStreamKeepsOrder(t *testing.T) {
	var table bytes.Buffer
	table.WriteString("id,start,site,note\n")
	for i := range 40000 {
		start := fmt.Sprintf("20%02d-%02d-%02d", 15+i%20, i%12+1, i%28+1)
		if i%9973 == 7 {
			start = "soon"
		}
		fmt.Fprintf(&table, "%d,%s,%s,\"a \"\"b\"\", %d\nc\"\n", i, start, []string{"one", "two", ""}[i%3], i)
	}
	cals := map[string]*workdays.Calendar{"one": workdays.New("one", workdays.Weekend), "two": workdays.New("two", 0).WithHolidays(sparse(9))}
	env := eval.Env{Frame: civil.DefaultFrame, Calendar: cals["one"], Find: func(name string) (*workdays.Calendar, error) { return cals[name], nil }}
	open := func(aside rows.Sink) *rows.Table {
		r, _, err := tabular.Open("-", bytes.NewReader(table.Bytes()), tabular.Input{})
		if err != nil {
			t.Fatal(err)
		}
		d := rows.NewTable("t", r, env)
		d.Aside = aside
		check(t, d.Add([]string{"due = start, +30 days, roll following using (site)", "n = working days from start to due using (site)"}, true, env))
		check(t, d.Where("n is blank or n != 20", env))
		return d
	}
	var streamed, aside, scanned bytes.Buffer
	sink, side := tabular.NewCSV(&streamed, ',', false), tabular.NewCSV(&aside, ',', false)
	bad, err := open(side).Stream(sink.(rows.Blocks))
	check(t, err)
	check(t, sink.Close())
	check(t, side.Close())
	one := tabular.NewCSV(&scanned, ',', false)
	again, err := open(nil).Scan(func(_ int, row []eval.Value) error { return one.Row(row) })
	check(t, err)
	check(t, one.Close())
	if !bytes.Equal(streamed.Bytes(), scanned.Bytes()) || streamed.Len() < 1<<20 {
		t.Fatalf("%d bytes on many workers, %d one by one", streamed.Len(), scanned.Len())
	}
	if bad.Count != 5 || again.Count != 5 || bad.First[0].Line != again.First[0].Line || strings.Count(aside.String(), "soon,") != 5 {
		t.Fatalf("bad rows: %d and %d, aside %q", bad.Count, again.Count, aside.String())
	}
}

// sparse closes every nth day.
type sparse int

func (s sparse) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for d := span.First; d <= span.Last; d++ {
			if int(d)%int(s) == 0 && !yield(workdays.Holiday{Date: d, Nominal: d, Name: "h"}) {
				return
			}
		}
	}
}
