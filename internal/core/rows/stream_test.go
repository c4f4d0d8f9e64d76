package rows_test

import (
	"bytes"
	"errors"
	"fmt"
	"io"
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
// rows and their order included, and so do columns that are worked out from days alone.
func TestStream_keepsOrder(t *testing.T) {
	var table bytes.Buffer
	table.WriteString("id,start,site,term,note\n")
	for i := range 40000 {
		start := fmt.Sprintf("20%02d-%02d-%02d", 15+i%20, i%12+1, i%28+1)
		if i%9973 == 7 {
			start = "soon"
		} else if i%701 == 0 {
			start = []string{"", start + " 10:00", " " + start, `"` + start + `"`}[i/701%4]
		}
		fmt.Fprintf(&table, "%d,%s,%s,%s,\"a \"\"b\"\", %d\nc\"\n", i, start, []string{"one", "two", ""}[i%3], []string{"12", "3", "", "36", "1", "24", "60 ", "6", "18", "120"}[min(i%811, 9)], i)
	}
	cals := map[string]*workdays.Calendar{"one": workdays.New("one", workdays.Weekend), "two": workdays.New("two", 0).WithHolidays(sparse(9))}
	cals["one"].Coverage = civil.Span{First: 736000, Last: 742500}
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cals["one"], FindCalendar: func(name string) (*workdays.Calendar, error) { return cals[name], nil }}
	for _, c := range []struct {
		adds    []string
		reasons bool
		where   string
	}{
		{[]string{"due = start, +30 days, roll following using (site)", "n = working days from start to due using (site)"}, true, "n is blank or n != 20"},
		{[]string{"ends = start, lasting term months", "paid = ends, end of month, roll preceding using one", "n = working days from start to paid using one"}, false, ""},
	} {
		cals["one"].ResetMisses()
		keepsOrder(t, table.Bytes(), env, func(d *rows.Table) {
			check(t, d.Add(c.adds, c.reasons, d.Env))
			if c.where != "" {
				check(t, d.Where(c.where, d.Env))
			}
			if d.Quick() == c.reasons {
				t.Errorf("%s: without cells: %v", c.adds, d.Quick())
			}
		})
		if before, after := cals["one"].Misses(); !c.reasons && (before == 0 || before%2 > 0 || after == 0) {
			t.Errorf("%d dates before and %d behind what the calendar knows, should be twice the same", before, after)
		}
	}
}

func keepsOrder(t *testing.T, table []byte, env eval.Env, add func(*rows.Table)) {
	open := func(aside rows.Sink) *rows.Table {
		r, _, err := tabular.Open("-", bytes.NewReader(table), tabular.Options{})
		if err != nil {
			t.Fatal(err)
		}
		d := rows.NewTable("t", r, env)
		d.Rejects = aside
		add(d)
		return d
	}
	var streamed, aside, scanned bytes.Buffer
	sink, side := tabular.NewCSV(&streamed, ',', false), tabular.NewCSV(&aside, ',', false)
	bad, err := open(side).Stream(sink.(rows.BlockSink))
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

// isShortText is a writer that has room for so many bytes.
type isShortText struct {
	bytes.Buffer
	room int
}

func (s *isShortText) Write(b []byte) (int, error) {
	if s.Len()+len(b) > s.room {
		return 0, errFull
	}
	return s.Buffer.Write(b)
}

var errFull = errors.New("no room")

// Rows that are written beside the making of them are those of one at a time, whatever
// their number; one that can't be written, or made, ends it, and nothing writes on.
func TestPipelinedWriter(t *testing.T) {
	head := []string{"n", "day", "text"}
	for _, n := range []int{0, 1, 2730, 2731, 2732, 8193, 30000} { // a batch is 8192 cells
		row := func(i int) []eval.Value {
			return []eval.Value{eval.Int(i), eval.Day(civil.Date(i + 1)), eval.Str(fmt.Sprint("a, ", i))}
		}
		fill := func(w io.Writer, last int) error {
			room := make([]eval.Value, 3)
			return rows.Result{Sink: tabular.NewCSV(w, ',', false)}.Fill(head, eval.Env{}, func(put rows.PutRow) error {
				for i := range n {
					if i == last {
						return io.ErrUnexpectedEOF
					}
					copy(room, row(i)) // cells hold during the call alone
					if err := put(room); err != nil {
						return err
					}
				}
				return nil
			})
		}
		var single bytes.Buffer
		one := tabular.NewCSV(&single, ',', false)
		check(t, one.Header(head))
		for i := range n {
			check(t, one.Row(row(i)))
		}
		check(t, one.Close())
		var all bytes.Buffer
		check(t, fill(&all, -1))
		if !bytes.Equal(all.Bytes(), single.Bytes()) {
			t.Fatalf("%d rows have %d bytes, one by one %d", n, all.Len(), single.Len())
		}
		for _, room := range []int{0, single.Len() / 2, single.Len() - 1} {
			w := &isShortText{room: room}
			if err := fill(w, -1); err != errFull {
				t.Fatalf("%d rows, room for %d bytes: %v", n, room, err)
			}
			w.room = 1 << 30 // would race with what still wrote
		}
		if err := fill(&all, n-1); n > 0 && err != io.ErrUnexpectedEOF {
			t.Fatalf("%d rows, the last of which can't be made: %v", n, err)
		}
	}
}
