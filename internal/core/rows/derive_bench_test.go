package rows_test

import (
	"bytes"
	"fmt"
	"io"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

func BenchmarkDerive(b *testing.B) {
	var table bytes.Buffer
	table.WriteString("id,person,unit,start,term,note\n")
	for i := range 100000 {
		fmt.Fprintf(&table, "%d,Person %d,Unit %d,20%02d-%02d-%02d,%d,\n", i, i%977, i%13, 15+i%20, i%12+1, i%28+1, i%36+1)
	}
	env := eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: workdays.New("plain", workdays.Weekend)}
	b.SetBytes(int64(table.Len()))
	b.ReportAllocs()
	for b.Loop() {
		r, _, err := tabular.Open("-", bytes.NewReader(table.Bytes()), tabular.Options{})
		if err != nil {
			b.Fatal(err)
		}
		d := rows.NewTable("t", r, env)
		if err := d.Add([]string{"ends = start, +12 months", "month_end = start, end of month", "paid = month_end, roll preceding",
			"length = days from start to ends", "worked = working days from start to ends"}, false, env); err != nil {
			b.Fatal(err)
		}
		if _, err := d.Stream(tabular.NewCSV(io.Discard, ',', false).(rows.BlockSink)); err != nil {
			b.Fatal(err)
		}
	}
}
