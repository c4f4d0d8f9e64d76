package eval_test

import (
	"fmt"
	"os"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/golden"
)

// givenRows are cells of env's names: a, b, n, none, text, site, word.
var givenRows = [][]string{
	{"2027-02-09", "2027-03-31", "2.5", "", "2027-04-01 09:30", "shut", "Harbour"},
	{"2024-02-29", "2024-02-29", "-3", "", "+1 month", "", "monthly on 2nd tue"},
	{"2027-12-31T16:30", "2026-05-02", "0", "", "next fri, roll following", "plain", ""},
	{"", "9999-12-30", "7", "", "true", "elsewhere", "10%"},
	{"2027-05-01", "2027-01-31", "1", "", "+2 working days using shut", "shut", "dates 2027-02-10, 2027-02-11 then roll preceding using shut"},
	{"soon", "0001-01-03", "1e3", "", "", "shut", "5"},
}

func givenCells(texts []string) (row []eval.Value) {
	for _, s := range texts {
		v := eval.Str(s)
		if d, _, ok := civil.Parse(s); ok {
			v = eval.Day(d)
		} else if n, ok := eval.ParseNumber(s); ok {
			v = n
		} else if s == "" {
			v = eval.Value{}
		}
		row = append(row, v)
	}
	return row
}

// TestGoldenCases holds what the phrases of testdata/phrases.txt give for the rows above, with
// their reasons, kinds and faults; the dates of rules; and windows.
func TestGoldenCases(t *testing.T) {
	data, err := os.ReadFile("testdata/phrases.txt")
	if err != nil {
		t.Fatal(err)
	}
	env := env
	env.Cache = &eval.SeriesCache{}
	env.Clock = clocks
	var b strings.Builder
	put := func(format string, args ...any) { fmt.Fprintf(&b, format+"\n", args...) }
	for line := range strings.Lines(string(data)) {
		line = strings.TrimSpace(line)
		text, isRule := strings.CutPrefix(line, "RULE ")
		window, isWindow := strings.CutPrefix(line, "WINDOW ")
		expect, isExpect := strings.CutPrefix(line, "EXPECT ")
		put("= %s", line)
		switch {
		case line == "":
		case isWindow:
			s, err := eval.ParseWindow(window, env)
			put("  %s..%s %v", s.First, s.Last, err)
		case isExpect:
			x, err := eval.CompileExpectation(expect, env)
			if err != nil {
				put("  %v", err)
				continue
			}
			for _, r := range givenRows {
				row := givenCells(r)
				ok, blank, err := x.Holds(row)
				put("  %v blank %v %v, %s", ok, blank, err, x.Explain(row))
			}
		case isRule:
			r, err := eval.CompileRowRule(text, env)
			if err != nil {
				put("  %v", err)
				continue
			}
			for _, texts := range givenRows {
				rec, state, err := r.ForRow(givenCells(texts), day("2027-06-30"), true)
				put("  state %d %v", state, err)
				if rec == nil {
					continue
				}
				n := 0
				for o := range rec.Rule.All(civil.Span{First: day("2026-11-01"), Last: day("2027-12-31")}) {
					var trace []eval.Move
					to, _, err := rec.Chain.Run(o.Date, rec.Row, &trace)
					put("    %v %s %v %s", o, to, err, eval.Reasons(trace))
					if n++; n == 4 {
						break
					}
				}
			}
		default:
			var dates, numbers []int
			env.Uses.Dates, env.Uses.Numbers = &dates, &numbers
			p, err := eval.Compile(line, nil, env)
			if err != nil {
				put("  %v", err)
				continue
			}
			kind, known := p.KindOf()
			if ch := p.Chain(); ch != nil {
				put("  reaches %d back, %d forth, may be blank %v", ch.ReachBack.MaxDays(), ch.ReachForward.MaxDays(), ch.MayBeBlank)
			}
			put("  kind %d %v, may lack %v, from %d, dates %v numbers %v", kind, known, p.MayBeBlank(), len(p.Sources()), dates, numbers)
			for _, texts := range givenRows {
				var trace []eval.Move
				var v eval.Value
				err := p.EvalInto(givenCells(texts), &trace, &v)
				put("    %d %s | %s | %v", v.Kind, v, eval.Reasons(trace), err)
			}
		}
	}
	times := []eval.Value{{Kind: eval.DateTime, Day: 740000, Minutes: 540}, {Kind: eval.DateTime, Day: 740000, Minutes: 540, Text: "Far/East", Num: 1000}, {Kind: eval.DateTime, Day: 739999, Minutes: 600, Text: "Far/West", Num: 2000}, eval.Day(740000), eval.Day(740001)}
	for _, x := range times {
		for _, y := range times {
			put("%s %s against %s %s: %d", x, x.Text, y, y.Text, eval.CompareTimes(x, y))
		}
	}
	for _, f := range []eval.CellFormat{eval.NoFormat, eval.TextFormat, eval.PlainFormat, eval.DecimalFormat(1), eval.DecimalFormat(4), eval.FirstCustomFormat} {
		for _, v := range []eval.Value{eval.TypedNumber("09:15", 0.385, f), eval.TypedNumber("1200.5", 1200.5, f), {Kind: eval.Number, Num: 7, Format: f}} {
			n, ok := v.Typed()
			put("form %d of %s: %v %v, %v, %d", f, v, n, ok, v.IsNumber(), f.Places())
		}
	}
	golden.Compare(t, "testdata/given.txt", b.String())
}

// clocks are those of two invented zones.
func clocks(zone string) (eval.Clock, error) {
	hours := map[string]int64{"": 0, "Far/East": 9, "Far/West": -8}
	if _, ok := hours[zone]; !ok {
		return nil, fmt.Errorf("no zone %s", zone)
	}
	return ahead(hours[zone] * 3600), nil
}

// ahead is a clock so many seconds ahead of UTC.
type ahead int64

func (a ahead) Instant(d civil.Date, minutes int) int64 {
	return int64(d)*86400 + int64(minutes)*60 - int64(a)
}

func (a ahead) Local(at int64) (civil.Date, int) {
	at += int64(a)
	return civil.Date(at / 86400), int(at % 86400 / 60)
}
