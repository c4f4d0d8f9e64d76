package workflow

import (
	"os"
	"path/filepath"
	"testing"

	"yoyaku/demo"
	"yoyaku/internal/plan"
)

// Whatever the bytes, a plan is read and checked, or refused with an error.
func FuzzPlan(f *testing.F) {
	data, err := demo.Files.ReadFile("files/" + plan.FileName)
	if err != nil {
		f.Fatal(err)
	}
	f.Add(data)
	for _, s := range []string{"plan: 1\nseries: {a: {rule: monthly on 15, period: {start: nope}, milestones: {b: date, c: nope}, expect: {each: [b < date], gap: x}}}\noutputs: [{file: a, of: a}]\n", "plan: 1\nseries: {a: {rule: monthly on 15}}\n", "plan: 1\ncalendars:\n  c: {closed: sat, holidays: [{name: x, day: yearly on 25 dec then roll following}], open: 2027-12-25}\ncalendar: c\n",
		"plan: 1\nrecords:\n  r: {table: t.csv, read-dates: [a=dmy, b=mdy], where: [a < b, b is blank]}\noutputs: [{file: o.csv, of: r, make: due, date: [a, x = b], bands: [1, 2]}]\n", "plan: 1\nx: &a [*a]\n", "- a\n? b\n: c\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		dir := t.TempDir()
		path := filepath.Join(dir, plan.FileName)
		if err := os.WriteFile(filepath.Join(dir, "t.csv"), []byte("a,b\n2027-01-01,2027-02-01\n"), 0o644); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(path, data, 0o644); err != nil {
			t.Fatal(err)
		}
		if p, err := plan.Load(path, plan.Settings{AsOf: 739900}); err == nil && p.ID == "" {
			t.Fatal("a plan without an id of its own is called yoyaku")
		}
		var c plan.Collector
		p, err := plan.Load(path, plan.Settings{AsOf: 739900, Collector: &c})
		if err != nil {
			return
		}
		if list, err := Check(p, &c, "2027", true); err != nil || p.IsBroken() && len(list) == 0 {
			t.Fatalf("%v, %d findings", err, len(list))
		}
	})
}
