package query_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/query"
)

// kept is a ledger in which one date of each series isn't as it was released.
type kept struct{}

func (kept) Released(series string) ([]schedule.Released, error) {
	return []schedule.Released{{Series: series, ID: "2027-03/15"}}, nil
}

func (kept) Breaches(list []*schedule.Series, window civil.Span) (breaches []schedule.Breach, err error) {
	for _, s := range list {
		if s.Name == "fuel-duty" && window.Last < day("2027-05-01") {
			breaches = append(breaches, schedule.Breach{Series: s.Name, What: "date", ID: "2027-03/25"})
		}
	}
	return breaches, nil
}

// The words of a table with which a phrase goes on, and jobs by words.
func TestCompleteColumns(t *testing.T) {
	for _, c := range [][2]string{
		{"", `"2nd day" born joined person unit`}, {"p", "person"}, {"P", "person"}, {"-", "-born -joined -person -unit"}, {"days from b", "days from born"}, {"a,b", "a,born"},
		{`"`, `"2nd day" "born" "joined" "person" "unit"`}, {`x = "2`, `x = "2nd day"`}, {"2", `"2nd day"`}, {"zz", ""}, {"(u", "(unit"}, {"-u", "-unit"}, {"a=u", "a=unit"},
	} {
		in := ask.TableOptions{}
		file := t.TempDir() + "/t.csv"
		if err := os.WriteFile(file, []byte("person,unit,born,joined,2nd day,no $good\n"), 0o644); err != nil {
			t.Fatal(err)
		}
		list, err := query.CompleteColumns(&in, file, c[0], func(name string) bool { return !strings.Contains(name, "$") })
		got := strings.Join(list, " ")
		if c[0] == "-" {
			got = strings.Replace(got, `-"2nd day" `, "", 1)
		}
		if err != nil || got != c[1] {
			t.Errorf("%q goes on with %s, %v, want %s", c[0], got, err, c[1])
		}
	}
	if _, err := query.CompleteColumns(new(ask.TableOptions), "nofile.csv", "", func(string) bool { return true }); err == nil {
		t.Error("a file that isn't there has no words")
	}
	count := func(words ...string) string {
		list, _ := query.FindJobs(words)
		if len(list) == 0 {
			return "none"
		}
		return fmt.Sprint(len(list) == len(query.Jobs()), " ", list[0].Section)
	}
	for words, want := range map[string]string{"": "true", "grids": "false", "gri": "false", "TALLYS": "false", "zzz": "none", "is": "false"} {
		got, _, _ := strings.Cut(count(strings.Fields(words)...), " ")
		if got != want {
			t.Errorf("jobs with %q: %s, want %s", words, got, want)
		}
	}
	for _, words := range []string{"half day", "half-day", "interest", "prepayment", "indexed rent", "running balance", "reminder", "three-pay month",
		"three pay months", "probation", "retention", "roster", "blackout", "cut-off", "cutoff", "cut off", "aging", "ageing", "pro rata", "prorate",
		"early pay", "working days month", "birthdays", "refund", "depreciation", "dunning", "on-call", "what if", "4-4-5", "T+2", "rrule"} {
		if count(strings.Fields(words)...) == "none" {
			t.Errorf("no job with %q", words)
		}
	}
	for word, want := range map[string]string{"probashun": "probation", "deprecation": "depreciation", "rooster": "roster", "interst": "interest", "qqqqqq": ""} {
		if list, near := query.FindJobs([]string{word}); list != nil || near != want {
			t.Errorf("%s is near %q, want %q", word, near, want)
		}
	}
	all, _ := query.FindJobs([]string{"days"})
	one, _ := query.FindJobs([]string{"day"})
	if len(all) >= len(one) {
		t.Errorf("a short word is taken as it is: %d jobs with days, %d with day", len(all), len(one))
	}
	for _, j := range query.Jobs() {
		if j.Section == "" || j.Name == "" || j.Command == "" || j.Result == "" {
			t.Errorf("a job lacks a part: %+v", j)
		}
	}
}
