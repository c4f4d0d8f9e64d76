package draft

import (
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/internal/ask"
	"yoyaku/internal/core/civil"
	"yoyaku/internal/plan"
)

// What makes a column the series' date, what `-` may be, and which tables have nothing for a plan.
func TestNewPlan_choices(t *testing.T) {
	day, _, _ := civil.Parse("2026-12-01")
	set := plan.Settings{AsOf: day}
	// Pay days with the month that they are for, and a cut-off three working days before.
	months := "month,pay,cut\n"
	for _, row := range []string{"2027-01-01,2027-01-25,2027-01-20", "2027-02-01,2027-02-25,2027-02-22", "2027-03-01,2027-03-25,2027-03-22", "2027-04-01,2027-04-26,2027-04-21", "2027-05-01,2027-05-25,2027-05-20",
		"2027-06-01,2027-06-25,2027-06-22", "2027-07-01,2027-07-26,2027-07-21", "2027-08-01,2027-08-25,2027-08-20", "2027-09-01,2027-09-27,2027-09-22", "2027-10-01,2027-10-25,2027-10-20", "2027-11-01,2027-11-25,2027-11-22", "2027-12-01,2027-12-27,2027-12-22"} {
		months += row + "\n"
	}
	totals := strings.ReplaceAll(months, "month,pay,cut\n", "pay,month,cut\n") + "Total,,\n"
	for _, c := range []struct {
		name, text, stdin string
		start             NewPlan
		found, plan       string // what each must hold
		err               string
	}{
		{name: "a.csv", text: months, start: NewPlan{Calendar: "none"}, found: "`pay` is the series' date, since the others count from it by shorter steps than from `month`; --date month takes that", plan: "cut: \"date, -3 working days\""},
		{name: "a.csv", text: months, start: NewPlan{Calendar: "none", Dates: []string{"month"}}, plan: "rule: monthly on 1"},
		{name: "t.csv", text: totals, start: NewPlan{Calendar: "none"}, found: "there is 1 row of totals (line 14), left out", plan: "series:"},
		{name: "-", stdin: months, start: NewPlan{Calendar: "none"}, found: "1 series is made of it", plan: "series:\n  table:"},
		{name: "-", stdin: "a,b\n1,2027-01-05\n2,2026-11-17\n3,2027-06-06\n", err: "no rule was found in standard input, and a plan can't keep it as a record; put the table in a file and name that"},
		{name: "p.csv", text: "a,b\n1,2\n", err: "p.csv holds no dates that a plan could be made of; nothing was written"},
		{name: "d.csv", text: "a,b\n1,03/04/2027\n2,05/06/2027\n", err: "--read-dates b=mdy"},
		{name: "d.csv", text: "a,b\n1,03/04/2027\n2,05/06/2027\n", start: NewPlan{In: ask.TableOptions{ReadDates: []string{"b=mdy"}}}, plan: "read-dates: [b=mdy]"},
		{name: "d.csv", text: "a,b\n1,03/04/2027\n2,05/06/2027\n", start: NewPlan{In: ask.TableOptions{ReadDates: []string{"b=mdy", "other=dmy"}}}, err: "no table has a column `other`"},
		{name: "r.csv", text: "plan,series,what,id,nominal,date,reason,released_on,from,through,by,note,superseded_on,part,hash\n", err: "is the list of released dates; `yoyaku check` compares them with the plan"},
		{name: "s.csv", text: "person,period,first_day,last_day,days\nA,2027-01,2027-01-02,2027-01-05,4\n", err: "is a result of `spread`"},
		{name: "l.csv", text: "a,b\n1,3 lis 2027\n2,4 stycznia 2027\n", start: NewPlan{Language: "pl"}, plan: "language: pl"},
	} {
		dir := t.TempDir()
		table := "-"
		if c.name != "-" {
			table = filepath.Join(dir, c.name)
			write(t, table, c.text)
		}
		c.start.Dir, c.start.Tables, c.start.Stdin = filepath.Join(dir, "next"), []string{table}, strings.NewReader(c.stdin)
		path, found, err := c.start.Create(set)
		if err != nil || c.err != "" {
			if err == nil || c.err == "" || !strings.Contains(err.Error(), c.err) {
				t.Errorf("%s: %v, want %q", c.name, err, c.err)
			}
			continue
		}
		if told := strings.Join(found, "\n"); !strings.Contains(told, c.found) {
			t.Errorf("%s: found %s, want %q", c.name, told, c.found)
		}
		if text := read(t, path); !strings.Contains(text, c.plan) {
			t.Errorf("%s: no %q in\n%s", c.name, c.plan, text)
		}
	}
}

// Texts that readers of YAML 1.1 take for something else are quoted, others aren't, and each comes
// back.
func TestYAMLQuote(t *testing.T) {
	for text, plain := range map[string]bool{"<<": false, "=": false, ":a": false, "yes": false, "Off": false, "y": false, "null": false, "~": false, "1_000": false, "12:30": false, "1e3": false, "0o7": false, "-1": false, ".5": false, "2027-01-15": false,
		"a: b": false, "a #b": false, "a,b": false, "": false, " a": false, "!x": false, "&a": false, "*a": false, "@a": false, "%a": false, "- a": false, "? a": false, "\t": false,
		"pay": true, "Crew pay": true, "../crew.csv": true, "monthly on last then at 09:30": true, "2nd yard": true, "é": true, "day=dmy": true, "a-b": true, "no date": true, "5-4-4 weeks": true} {
		got := yamlQuote(text)
		if (got == text) != plain {
			t.Errorf("%q is written %s", text, got)
		}
		p, err := plan.Load("yoyaku.yaml", plan.Settings{Text: []byte("plan: 1\ntitle: " + got + "\n")})
		if err != nil || p.Title != text {
			t.Errorf("%s comes back as %v", got, err)
		}
	}
}
