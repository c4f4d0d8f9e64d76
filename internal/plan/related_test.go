package plan

import (
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/schedule"
)

// cadence is a rule with the days of its period, by the calendar alone, and how long that is.
type cadence struct {
	rule   string
	period func(d civil.Date) (first, last civil.Date)
	length int
}

// months is a period of n calendar months.
func months(n int) func(d civil.Date) (civil.Date, civil.Date) {
	return func(d civil.Date) (civil.Date, civil.Date) {
		in := func(o civil.Date) bool {
			y, m, _ := d.YMD()
			oy, om, _ := o.YMD()
			return oy == y && (om-1)/n == (m-1)/n
		}
		a, b := d, d
		for in(a - 1) {
			a--
		}
		for in(b + 1) {
			b++
		}
		return a, b
	}
}

func week(d civil.Date) (civil.Date, civil.Date) {
	first := d - civil.Date(d.Weekday()-civil.Monday)
	return first, first + 6
}

var cadences = []cadence{
	{"weekly on wed", week, 7}, {"weekly on mon, fri then roll preceding", week, 7}, {"monthly on 15, last then roll preceding", months(1), 31},
	{"monthly on 15 then +3 working days", months(1), 31}, {"monthly on last working day", months(1), 31},
	{"quarterly on last working day", months(3), 92}, {"quarterly on 2nd tue then roll following", months(3), 92},
	{"half-yearly on last", months(6), 184}, {"yearly on 31 mar then roll preceding", months(12), 366},
}

// TestRelatedSeries holds dates of other series to a search among all their dates, and rules that
// leave out those of others to a sieve, on random plans; a series may stand below those that
// name it.
func TestRelatedSeries(t *testing.T) {
	path := filepath.Join(t.TempDir(), FileName)
	r := rand.New(rand.NewPCG(25, 2))
	plans := 300
	if testing.Short() {
		plans = 40
	}
	wide := civil.Span{First: 739600, Last: 741500}
	seen := map[string]int{}
	for range plans {
		own, other, third := cadences[r.IntN(len(cadences))], cadences[r.IntN(len(cadences))], cadences[r.IntN(len(cadences))]
		shift := fmt.Sprintf("%+d working days", r.IntN(9)-4)
		series := []string{
			fmt.Sprintf("  own: {rule: %q, milestones: {day: other.date, mark: other.mark, later: \"other.mark, +1 day\"}}", own.rule),
			fmt.Sprintf("  other: {rule: %q, milestones: {mark: \"date, %s\"}}", other.rule, shift),
			fmt.Sprintf("  sieve: {rule: %q}", strings.Replace(third.rule+" leaving out other", " then", "", 1)),
			fmt.Sprintf("  whole: {rule: %q}", third.rule),
		}
		if before, then, ok := strings.Cut(third.rule, " then"); ok {
			series[2] = fmt.Sprintf("  sieve: {rule: %q}", before+" leaving out other then"+then)
		}
		r.Shuffle(len(series), func(i, j int) { series[i], series[j] = series[j], series[i] })
		text := "plan: 1\nid: t\nwindow: 2027\ncalendar: isles\ncalendars: {isles: {holidays: [{name: x, day: [2027-03-15, 2027-05-31, 2028-01-31]}]}}\nseries:\n" + strings.Join(series, "\n") + "\n"
		if err := os.WriteFile(path, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
		p, err := Load(path, Settings{AsOf: 739900})
		if err != nil {
			t.Fatalf("%v in\n%s", err, text)
		}
		all := func(name string) (list []*schedule.Occurrence) {
			for o, err := range p.FindSeries(name).Occurrences(wide) {
				if err != nil {
					t.Fatalf("%v in\n%s", err, text)
				}
				list = append(list, o)
			}
			return list
		}
		others := all("other")
		for o, err := range p.FindSeries("own").Occurrences(civil.Span{First: 739900, Last: 740630}) {
			if err != nil { // which is so for those alone that the calendar can't tell apart
				if seen["several"]++; !strings.Contains(err.Error(), "several dates") || other.length < own.length {
					t.Fatalf("%v in\n%s", err, text)
				}
				break
			}
			first, last := own.period(o.Date.Date)
			var same, found *schedule.Occurrence
			n := 0
			for _, c := range others {
				if c.ID == o.ID {
					same = c
				}
				if c.Date.Date >= first && c.Date.Date <= last {
					if n++; found == nil || c.Date.Date > found.Date.Date {
						found = c
					}
				}
			}
			switch {
			case same != nil:
				found = same
				seen["same id"]++
			case n > 1 && other.length >= own.length:
				t.Fatalf("%s of %s has one of several, in\n%s", o.ID, o.Value(), text)
			case n == 0:
				seen["none"]++
			default:
				seen["found"]++
			}
			want := [3]eval.Value{}
			if found != nil {
				want = [3]eval.Value{found.Value(), found.Milestone(0), eval.Day(found.Milestone(0).Day + 1)}
			}
			for i, w := range want {
				if got := o.Milestone(i); got.String() != w.String() {
					t.Fatalf("milestone %d of %s is %s, want %s in\n%s", i, o.ID, got, w, text)
				}
			}
		}
		days := map[civil.Date]bool{}
		for _, c := range others {
			days[c.MovedTo] = true
		}
		var sieved, kept []string
		for _, c := range all("whole") {
			if !days[c.Date.Date] {
				kept = append(kept, c.ID+" "+c.MovedTo.String())
			}
		}
		for _, c := range all("sieve") {
			sieved = append(sieved, c.ID+" "+c.MovedTo.String())
		}
		if strings.Join(sieved, ",") != strings.Join(kept, ",") {
			t.Fatalf("left out: %v\nwant %v in\n%s", sieved, kept, text)
		}
	}
	if len(seen) < 4 {
		t.Errorf("only %v", seen)
	}
}
