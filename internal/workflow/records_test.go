package workflow

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/plan"
	"yoyaku/internal/tabular"
)

// TestRecordMaker_madeOnce asks a chain of records from many sides at once: each is made once, and all
// get the same rows, of the columns that go on.
func TestRecordMaker_madeOnce(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{plan.FileName: `plan: 1
window: 2027
records:
  leases: {table: leases.csv, keep: [-note]}
  quarters: {from: leases, make: spread, start: start, end: ends, by: quarter, share: rent, share-per: year, columns: {a: first_day, b: last_day}, keep: [lease, rent, a, b]}
  months: {from: quarters, make: spread, start: a, end: b, by: month, share: rent, keep: [lease, rent], expect: {sum: {rent: quarters.rent}}}
  due: {from: months, carry: {due: "rent; prior + rent"}, per: lease}
  bad: {from: months, make: tally, rows: lease, keep: [leese]}
`, "leases.csv": "lease,rent,start,ends,note\nL1,1200.00,2027-01-10,2027-06-20,x\nL2,600.00,2027-02-01,2027-12-31,y\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 739982})
	if err != nil {
		t.Fatal(err)
	}
	m := newRecordMaker(p)
	ws := func() ask.Workspace {
		at := newWorkspace(newLedger(p), m)
		at.Note = func(string, ...any) {}
		at.Warn = at.Note
		return at
	}
	var wait sync.WaitGroup
	said := make([]string, 16)
	for i := range said {
		wait.Go(func() {
			var b strings.Builder
			for _, name := range []string{"due", "months", "quarters"} {
				job := m.keptJob(p.Record(name), ws())
				job.Sink = tabular.NewCSV(&b, ',', false)
				if err := job.Answer(); err != nil {
					fmt.Fprintln(&b, err)
				}
			}
			said[i] = b.String()
		})
	}
	wait.Wait()
	for i, text := range said {
		if text != said[0] {
			t.Fatalf("%d: %s\nfirst: %s", i, text, said[0])
		}
	}
	want := "lease,rent,due\nL1,73.60,73.60\nL1,93.67,167.27\nL1,103.70,270.97\n"
	last := "L2,50.54,550.00\nlease,rent\nL1,73.60\n"
	if !strings.HasPrefix(said[0], want) || !strings.Contains(said[0], last) || !strings.HasSuffix(said[0], "L2,150.00,2027-10-01,2027-12-31\n") {
		t.Errorf("%s", said[0])
	}
	for _, r := range p.Records[:4] {
		if r.KeepColumns != nil && m.tables[r].kept.builds != 1 || r.From != nil && m.tables[r].made.builds != 1 {
			t.Errorf("%s was made %d times, what goes on of it %d times", r.Name, m.tables[r].made.builds, m.tables[r].kept.builds)
		}
	}
	job := m.keptJob(p.Record("bad"), ws())
	job.Sink = tabular.NewCSV(&strings.Builder{}, ',', false)
	if err := job.Answer(); err == nil || !strings.Contains(err.Error(), "yoyaku.yaml:8:55: keep: unknown column `leese`; did you mean `lease`?") {
		t.Error(err)
	}
}

// TestRecordMaker_releasesMemory gives the memory of records back once their last user is done, and makes them
// again for one who asks after that.
func TestRecordMaker_releasesMemory(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{plan.FileName: "plan: 1\nid: x\nwindow: 2027\nrecords:\n  a: {table: t.csv}\n" +
		"  b: {from: a, make: spread, start: start, end: ends, by: month, keep: [k, period]}\n  c: {from: b, columns: {n: k}}\n  d: {from: b, columns: {m: k}}\n" +
		"outputs: [{file: c.csv, of: c}, {file: c2.csv, of: c}, {file: d.csv, of: d}]\n", "t.csv": "k,start,ends\nx,2027-01-10,2027-06-20\n"} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 739982})
	if err != nil {
		t.Fatal(err)
	}
	m := newRecordMaker(p)
	answer := func(name string) string {
		var b strings.Builder
		job := m.keptJob(p.Record(name), newWorkspace(newLedger(p), m))
		job.Sink = tabular.NewCSV(&b, ',', false)
		if err := job.Answer(); err != nil {
			t.Fatal(err)
		}
		return b.String()
	}
	held := func() (names string) {
		for _, r := range p.Records {
			if m.tables[r].made.table != nil {
				names += r.Name
			}
			if m.tables[r].kept.table != nil {
				names += "'"
			}
		}
		return names
	}
	first := answer("c")
	m.countReaders()
	steps := []struct {
		what string
		do   func()
		want string
	}{
		{"c is there, d is still to come", func() {}, "b'c"},
		{"the first output of c", func() { m.releaseOutput(p.Outputs[0]) }, "b'c"},
		{"the second", func() { m.releaseOutput(p.Outputs[1]) }, "b'"},
		{"d is made", func() { answer("d") }, "d"},
		{"its output", func() { m.releaseOutput(p.Outputs[2]) }, ""},
		{"somebody asks again", func() {
			if again := answer("c"); again != first || again == "" {
				t.Errorf("first\n%sagain\n%s", first, again)
			}
		}, "b'c"},
	}
	for _, s := range steps {
		if s.do(); held() != s.want {
			t.Errorf("%s: held are %q, want %q", s.what, held(), s.want)
		}
	}
}

// TestRecordMaker_rows reads records that stand on a series, on look-ups and on other records.
func TestRecordMaker_rows(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{
		plan.FileName: `plan: 1
window: 2027-Q1
series: {pay: {rule: "monthly on last"}}
records:
  days: {from: pay, columns: {week: iso week of date}, keep: [id, date, week]}
  staff: {table: staff.csv, key: who, columns: {last: "joined, lasting 1 month"}, where: who is not blank,
    events: [{name: joins, day: joined, where: "who = 'Ada'", summary: "{who} joins"}]}
  rich: {from: staff, match: [{table: sites.csv, key: site, take: [unit]}, {table: bands.csv, value: days from joined to 2027-03-10, start: from_days, take: [band]}]}
  months: {from: rich, make: spread, start: joined, end: last, by: month, keep: [who, unit, band, period, days]}
`,
		"staff.csv": "who,joined,site\nAda,2027-02-15,H\n,2027-01-01,H\nBo,2027-01-31,Y\n",
		"sites.csv": "site,unit\nH,Harbour\nY,Yard\n", "bands.csv": "from_days,band\n0,new\n30,short\n",
	} {
		if err := os.WriteFile(filepath.Join(dir, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	p, err := plan.Load(filepath.Join(dir, plan.FileName), plan.Settings{AsOf: 739982})
	if err != nil {
		t.Fatal(err)
	}
	m := newRecordMaker(p)
	for _, c := range [][2]string{
		{"days", "id,date,week\n2027-01/last,2027-01-31,2027-W04\n2027-02/last,2027-02-28,2027-W08\n2027-03/last,2027-03-31,2027-W13\n"},
		{"staff", "who,joined,site,last\nAda,2027-02-15,H,2027-03-14\nBo,2027-01-31,Y,2027-02-28\n"},
		{"rich", "who,joined,site,last,unit,band\nAda,2027-02-15,H,2027-03-14,Harbour,new\nBo,2027-01-31,Y,2027-02-28,Yard,short\n"},
		{"months", "who,unit,band,period,days\nAda,Harbour,new,2027-02,14\nAda,Harbour,new,2027-03,14\nBo,Yard,short,2027-01,1\nBo,Yard,short,2027-02,28\n"},
	} {
		var b strings.Builder
		job := m.keptJob(p.Record(c[0]), quiet(p))
		job.Sink = tabular.NewCSV(&b, ',', false)
		if err := job.Answer(); err != nil || b.String() != c[1] {
			t.Errorf("%s: %v\n%s, want\n%s", c[0], err, &b, c[1])
		}
	}
	list, err := m.events(p.Record("staff"), *p.Window, quiet(p))
	if err != nil || len(list) != 1 || list[0].Summary != "Ada joins" || list[0].At.String() != "2027-02-15" {
		t.Errorf("events: %v %v", list, err)
	}
}
