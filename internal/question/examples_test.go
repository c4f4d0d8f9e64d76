package question_test

import (
	"bytes"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"yoyaku/demo"
	"yoyaku/internal/golden"
	"yoyaku/internal/plan"
	"yoyaku/internal/question"
	"yoyaku/internal/report"
)

// words splits a command line as a shell does, as far as examples need it.
func words(line string) (list []string) {
	word, in, quote := "", false, byte(0)
	for i := 0; i < len(line); i++ {
		switch c := line[i]; {
		case quote != 0 && c == quote:
			quote = 0
		case quote == 0 && (c == '"' || c == '\''):
			quote, in = c, true
		case quote == 0 && c == ' ':
			if in {
				list = append(list, word)
			}
			word, in = "", false
		default:
			word, in = word+string(c), true
		}
	}
	if in {
		list = append(list, word)
	}
	return list
}

// example runs a command line of a question in the folder of a plan, and gives all that it
// writes and tells.
func example(t *testing.T, line string) string {
	t.Helper()
	args := words(line)[1:]
	var q *question.Question
	for _, one := range question.All() {
		if one.Name == args[0] {
			q = one
		}
	}
	job := &question.Job{Question: q}
	all := append(append(q.Options, job.In.Options()...), job.Shape.Options()...)
	for _, o := range all {
		o.Reset()
	}
	set, calendar, format := plan.Settings{AsOf: day("2026-11-25")}, "", "csv"
	if q.Drawn {
		format = "table"
	}
	for i := 1; i < len(args); i++ {
		name, is := strings.CutPrefix(args[i], "--")
		if !is {
			job.Args = append(job.Args, args[i])
			continue
		}
		value := "yes"
		for _, o := range all {
			if o.Name == name && o.Kind != question.Yes {
				value = ""
			}
		}
		if value == "" || name == "as" || name == "calendar" || name == "as-of" || name == "fiscal-start" || name == "fiscal-end" || name == "leap-day" || name == "out" {
			i++
			value = args[i]
		}
		switch name {
		case "as":
			format = value
		case "calendar":
			calendar = value
		case "as-of":
			set.AsOf = day(value)
		case "fiscal-start", "fiscal-end":
			set.Frame = map[string]string{name: value}
		case "leap-day":
			set.LeapMarch = value == "1-mar"
		}
		for _, o := range all {
			if o.Name == name {
				if err := o.Set(value); err != nil {
					t.Fatalf("%s: %v", line, err)
				}
			}
		}
	}
	p, err := plan.Load(plan.FileName, set)
	if err != nil {
		t.Fatal(err)
	}
	if calendar != "" {
		if err := p.CountBy(calendar); err != nil {
			t.Fatal(err)
		}
	}
	job.Named = calendar
	var out, told bytes.Buffer
	place := p.Place()
	place.Stdin, place.Flags = strings.NewReader(""), true
	place.Note = func(format string, args ...any) { fmt.Fprintf(&told, "> "+format+"\n", args...) }
	place.Warn = place.Note
	place.Create = func(_, path string) (io.Writer, error) { return io.Discard, nil }
	job.Place = &place
	f, _ := report.Find(format)
	if job.To, err = f.Sink(&out, report.Look{AsOf: p.Env.Today, Zone: p.Zone}); err == nil {
		if q.Bare {
			job.To = report.Bare(&out)
		}
		err = job.Answer()
	}
	if err != nil {
		fmt.Fprintf(&told, "> %v\n", err)
	}
	for _, w := range p.Warnings() {
		fmt.Fprintln(&told, ">", w)
	}
	text := strings.ReplaceAll(out.String(), "\r\n", "\n") + told.String()
	if lines := strings.SplitAfter(text, "\n"); len(lines) > 100 { // both ends say enough
		text = strings.Join(lines[:60], "") + fmt.Sprintf("… %d lines\n", len(lines)-90) + strings.Join(lines[len(lines)-30:], "")
	}
	return text
}

// TestExamples holds what the examples of each question, and more of its options, give on
// the demo's tables to the files in testdata.
func TestExamples(t *testing.T) {
	here, err := filepath.Abs("testdata")
	if err != nil {
		t.Fatal(err)
	}
	dir := t.TempDir()
	files, err := fs.Sub(demo.Files, "files")
	if err == nil {
		err = os.CopyFS(dir, files)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Chdir(dir)
	for _, q := range question.All() {
		var got strings.Builder
		lines := strings.Split(strings.ReplaceAll(q.Examples, "\\\n", ""), "\n")
		for _, line := range append(lines, more[q.Name]...) {
			if line = strings.TrimSpace(line); !strings.HasPrefix(line, "yoyaku "+q.Name+" ") || strings.Contains(line, " | ") || strings.Contains(line, "--follows") {
				continue
			}
			fmt.Fprintf(&got, "$ %s\n%s\n", line, example(t, line))
		}
		golden.Hold(t, filepath.Join(here, q.Name+".txt"), got.String())
	}
}

// more are command lines beside the examples that people see.
var more = map[string][]string{
	"dates": {
		`yoyaku dates crew-pay fuel-duty --window 2027-03..2027-04`,
		`yoyaku dates "monthly on 2nd tue" "quarterly on last" --count 5 --columns rule,date`,
		`yoyaku dates "monthly on last" --window 2027-Q1 --as ics --remind "2 days before" --todo --title "Month end"`,
		`yoyaku dates "fortnightly on fri from 2027-01-01 then roll preceding" --window 2027..2030 --counts year`,
		`yoyaku dates "dates 2027-01-04, 2027-02-01" --add "wait = days from previous_date to date" --add "next = next_nominal"`,
	},
	"due": {
		`yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --within "2 years" --bands 30,90,365 --as-of 2027-01-10`,
		`yoyaku due crew.csv --date birthday=born --date service=joined --yearly --window 2027-12..2028-03`,
		`yoyaku due crew-contracts.csv --date "ends = start, lasting term months" --upcoming --as-of 2027-06-01 --calendar isles --sort -date`,
	},
	"spread": {
		`yoyaku spread absences.csv --start first --end last --by crew-pay --open-words present --open-through 2027-09-30 --working`,
		`yoyaku spread absences.csv --start first --end last --by month --open-words present --window 2027-05..2027-07 --columns person,period,days,working_days`,
		`yoyaku spread crew-contracts.csv --dates "every 3 months back from (start, lasting term months) from start" --where "contract in ('C-101', 'C-107')"`,
	},
	"match": {
		`yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since --end until --open-words present --as-of 2027-09-06`,
		`yoyaku match incidents.csv harbour-masters.csv --key harbour --date day --start since --end until --open-words present --several all --take master`,
	},
	"tally": {
		`yoyaku tally crew-contracts.csv --rows unit --cols "year of (start, lasting term months)"`,
		`yoyaku tally crew-contracts.csv --rows unit --sum term --sort -term`,
		`yoyaku tally crew-contracts.csv --rows "year of start" --cols unit --where "term > 6"`,
	},
	"grid": {
		`yoyaku grid absences.csv --name person --start first --end last --window 2027-06 --open-words present`,
		`yoyaku grid courses.csv --name trainer --start start --end "start, lasting days working days" --window 2027-06 --mark "if trainer starts with 'Runa' then 'R'"`,
		`yoyaku grid absences.csv --name person --start first --end last --window 2027-06 --open-words present --as table`,
	},
	"read": {
		`yoyaku read harbour-office.ics --window 2027-03 --zone America/New_York --cancelled`,
		`yoyaku read harbour-office.ics --window 2027-03..2027-05 --columns start,end,weekday,summary,instance,sequence,line`,
	},
	"periods": {
		`yoyaku periods 2027 --by quarter --count crew-pay --columns period,crew_pay`,
		`yoyaku periods 2027-06..2027-08 --by crew-pay`, `yoyaku periods 2027 --by fiscal-quarter --fiscal-start apr`,
	},
	"holidays": {`yoyaku holidays`, `yoyaku holidays england-wales --window 2027..2028`, `yoyaku holidays isles --window 2029`},
	"why":      {`yoyaku why crew-pay 2027-03-15`, `yoyaku why crew-contracts C-103 notice`, `yoyaku why "date, -2 working days" --base 2027-05-04`, `yoyaku why slipway-survey 2028-05-03`, `yoyaku why "monthly on 15, last then roll preceding"`},
	"wall":     {`yoyaku wall --window 2027-05`, `yoyaku wall crew-pay fuel-duty --milestones --window 2027-03..2027-04 --as html --paper letter`},
	"value":    {`yoyaku value "2027-02-28, +1 month"`, `yoyaku value "working days from 2027-01-01 to 2027-02-01" --calendar isles`},
	"derive":   {`yoyaku derive crew-contracts.csv --add "ends = start, lasting term months" --add "notice = ends, -90 days, roll preceding" --reasons --columns contract,ends,notice,notice_reason`, `yoyaku derive courses.csv --add "last = start, lasting days working days" --as ics --event-day last --event-text "{course} ends ({trainer})" --key course`},
}
