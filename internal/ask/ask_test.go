package ask_test

import (
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/golden"
	"yoyaku/internal/plan"
	"yoyaku/internal/query"
	"yoyaku/internal/tabular"
	"yoyaku/internal/workflow"
)

// opened answers a table with added columns, read as the options say, as CSV; behind it stand
// what was told and what went to rejects.csv.
func opened(t *testing.T, file, input string, options, adds []string) string {
	t.Helper()
	day, _, _ := civil.Parse("2027-03-10")
	p, err := plan.NewEmpty(plan.Settings{AsOf: day})
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	ws := workflow.NewWorkspace(p)
	var out, told strings.Builder
	ws.Stdin, ws.IsCommand = strings.NewReader(input), true
	ws.Note = func(format string, args ...any) { fmt.Fprintf(&told, "note: "+format+"\n", args...) }
	ws.Warn = func(format string, args ...any) { fmt.Fprintf(&told, "warning: "+format+"\n", args...) }
	ws.CreateFile = func(_, path string) (io.Writer, error) { return os.Create(filepath.Join(dir, path)) }
	if file != "-" {
		file = filepath.Join(dir, file)
		if err := os.WriteFile(file, []byte(strings.ReplaceAll(input, "\n", "\r\n")), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	job := &ask.Job{Workspace: &ws, Query: query.NewTableQuery(), Args: []string{file}, RecordColumns: adds, Sink: tabular.NewCSV(&out, ',', false)}
	keys := append(job.In.Options(), job.Shape.Options()...)
	for _, k := range keys {
		k.Reset()
	}
	for _, text := range options {
		name, value, _ := strings.Cut(text, "=")
		for _, k := range keys {
			if k.Name == name {
				if err := k.Set(value); err != nil {
					return "error: " + err.Error() + "\n"
				}
			}
		}
	}
	if err = job.In.Check(); err == nil {
		err = job.Answer()
	}
	if err != nil {
		fmt.Fprintln(&told, "error:", err)
	}
	rejects, _ := os.ReadFile(filepath.Join(dir, "rejects.csv"))
	return strings.ReplaceAll(out.String()+told.String(), dir+string(filepath.Separator), "") + string(rejects)
}

// TestJob_tablesAsRead holds what becomes of messy tables, by each option of reading, to
// testdata/tables.txt.
func TestJob_tablesAsRead(t *testing.T) {
	const leases = "unit,start,ends,rent\nHarbour,01/02/2027,2027-12-31,\"1.200,50\"\n,15/02/2027,present,-\n,2027-03-01,n/a,300\n"
	var got strings.Builder
	for _, c := range []struct{ file, input, options, adds string }{
		{"-", leases, "", ""},
		{"-", leases, "", "first = start, +1 day"},
		{"-", leases, "read-dates=start=dmy", "first = start, +1 day"},
		{"-", leases, "read-dates=dmy", "first = start, +1 day"},
		{"-", leases, "read-dates=dmy;keep-text=yes", "first = start, +1 day"},
		{"-", leases, "read-dates=start=dmy;read-dates=start=mdy", "first = start, +1 day"},
		{"-", leases, "read-dates=begin=dmy", "first = start, +1 day"},
		{"-", leases, "read-dates=first=dmy", "first = ends, +1 day"},
		{"-", leases, "read-dates=start=dmy|mdy", "first = start, +1 day"},
		{"-", leases, "open-words=present,n/a", "left = days from 2027-03-10 to ends"},
		{"-", leases, "bad-rows=blank", "left = days from 2027-03-10 to ends"},
		{"-", leases, "bad-rows=aside=rejects.csv", "left = days from 2027-03-10 to ends"},
		{"-", leases, "bad-rows=keep", ""},
		{"-", leases, "read-numbers=1.234,56;open-words=-", "twice = rent * 2"},
		{"-", leases, "fill-down=unit;rename=site=unit,end date=ends;columns=site,\"end date\"", ""},
		{"-", leases, "fill-down=units", ""},
		{"-", leases, "rename=site=place", ""},
		{"-", leases, "rename=site", ""},
		{"-", leases, "where=unit = 'Harbour';sort=-rent", ""},
		{"-", leases, "header-row=2", ""},
		{"-", leases, "sheet=May", ""},
		{"-", leases, "encoding=ebcdic", ""},
		{"-", "a,,a\n1,2\n", "", ""},
		{"-", "a,,a\n1,2\n", "repair=yes", ""},
		{"-", "y,m,d\n2027,2,28\n,,\n2027,2,30\n2027,,1\n", "join-dates=day=y,m,d", ""},
		{"-", "y,m,d\n2027,2,28\n,,\n", "join-dates=day=y,m,d", "next = day, +1 day"},
		{"-", "y,m,d\n2027,2,28\n", "join-dates=day=y,m", ""},
		{"-", "y,m,d\n2027,2,28\n", "join-dates=day=y,m,t", ""},
		{"-", "y,m,d\n2027,2,28\n", "join-dates=y=y,m,d", ""},
		{"-", "who,cal\nAda,nowhere\nBo,\nCy,moon\nDi,None\n", "", "paid = 2027-01-01, roll following using (cal)"},
		{"leases.csv", leases, "read-dates=%d/%m/%Y", "first = start, +1 day"},
		{"events.ics", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20270115\nSUMMARY:Pay\nEND:VEVENT\nBEGIN:VEVENT\nUID:b\nSTATUS:CANCELLED\nDTSTART:20270116T090000Z\nEND:VEVENT\nBEGIN:VTODO\nUID:c\nEND:VTODO\nEND:VCALENDAR\n", "columns=start,summary,next", "next = start, +1 day"},
		{"endless.ics", "BEGIN:VCALENDAR\nBEGIN:VEVENT\nUID:a\nDTSTART;VALUE=DATE:20270115\nRRULE:FREQ=DAILY\nEND:VEVENT\nEND:VCALENDAR\n", "", ""},
	} {
		split := func(text string) []string {
			if text == "" {
				return nil
			}
			return strings.Split(text, ";")
		}
		fmt.Fprintf(&got, "$ %s %s %s\n%s\n", c.file, c.options, c.adds, opened(t, c.file, c.input, split(c.options), split(c.adds)))
	}
	golden.Compare(t, "testdata/tables.txt", got.String())
}
