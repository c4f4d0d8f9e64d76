package schedule

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/golden"
)

// givens are series with all that one can have: their rules by |, milestones, periods, days
// by hand and what is expected.
var givens = []struct {
	name, rules, start, end string
	milestones, hands       []string // NAME = PHRASE; ID WHAT DAY REASON
	each, counts            string
	remind                  string
	look                    EventProperties
}{
	{name: "pay", rules: "monthly on 15, last then roll preceding", start: "previous_nominal, +1 day", end: "nominal",
		milestones: []string{"sheets = date, -5 working days", "bank = date, -2 working days, at 16:30", "odd = if number = 4 then (date, -1 day) else (date, -400 days)"},
		hands:      []string{"2027-03/15 date 2027-03-11 the bank moves", "2027-03/last date - nobody is here", "2027-04/15 bank 2027-04-12T11:00 early", "2027-04/last sheets - none", "2027-06/15 date 2027-06-29 beyond its neighbour"},
		each:       "bank < date; sheets < bank; date is not blank; weekday of date != 'Mon'", counts: "per-month 2; per-year 24; per-quarter 6; gap 11..17", remind: "2 days before; 1 working day before at 09:00; 30 minutes before"},
	{name: "two-rules", rules: "monthly on last until 2027-03-31|monthly on 10, 20 then roll following", counts: "per-month 1..2"},
	{name: "fortnight", rules: "fortnightly on fri from 2027-01-08 then roll preceding", counts: "per-year 26..27; gap 14"},
	{name: "blank", rules: "monthly on 5th fri", milestones: []string{"next = date, next pay", "gone = if date > 2027-06-01 then date else (date, 5th mon of month)"}, counts: "per-month 1"},
	{name: "numbered", rules: "every 3 months from 2027-01-31 10 times then +2 working days", milestones: []string{"share = date, end of month"}},
	{name: "lasting", rules: "dates 2027-01-04, 2027-02-01, 2027-05-31 then lasting 2 months", milestones: []string{"timed = date, at 08:15"}, look: EventProperties{Busy: true, DurationMinutes: 45, Location: "Quay"}},
	{name: "easter", rules: "yearly on easter then roll preceding"},
	{name: "chosen", rules: "monthly on 1 then (if working day of nominal then nominal else (nominal, +4 days)), roll following"},
	{name: "by", rules: "monthly on 3 then next pay by bank"},
	{name: "folded", rules: "weekly on mon until 2027-03-31", milestones: []string{"eve = date, -3 days"}},
	{name: "timed", rules: "monthly on 10 then roll preceding, at 09:30", milestones: []string{"eve = date, -1 day", "noon = date, at 12:00"},
		hands: []string{"2026-06/10 date 2027-01-26 from far", "2028-11/10 date 2027-03-03 from afar", "2027-02/10 date 2027-02-11 by day", "2027-03/10 date 2027-03-12T07:15 by time", "2027-04/10 noon 2027-04-08 by day", "2027-05/10 eve - none"}, start: "previous_nominal, +1 day", end: "date"},
	{name: "same", rules: "monthly on 1, 2 then roll following"},
}

// givenSeries makes them, each seeing those before it.
func givenSeries(t *testing.T) (list []*Series, env eval.Env) {
	t.Helper()
	cal := workdays.New("isles", workdays.Weekend).WithHolidays(workdays.HolidayList{
		{Date: on("2027-03-26"), Name: "Good Friday", Source: "h.csv:2"}, {Date: on("2027-03-29"), Name: "Lantern Day", Source: "h.csv:3"}, {Date: on("2027-05-03"), Name: "Slip Day"}})
	cal.Coverage = civil.Span{First: on("2026-01-01"), Last: on("2027-09-30")}
	env = eval.Env{Fiscal: civil.DefaultFiscalCalendar, Calendar: cal, Today: on("2027-02-10"), Cache: &eval.SeriesCache{}}
	env.FindSeries = func(name string) (eval.Series, error) {
		for _, s := range list {
			if s.Name == name {
				return s, nil
			}
		}
		return nil, nil
	}
	must := func(err error) {
		if err != nil {
			t.Helper()
			t.Fatal(err)
		}
	}
	for _, g := range givens {
		rules := strings.Split(g.rules, "|")
		s, err := NewSeries(g.name, strings.ToUpper(g.name), rules[0], env)
		must(err)
		if len(rules) > 1 {
			var all []EffectiveRule
			for i, text := range rules {
				one, err := NewSeries(g.name, "", text, env)
				must(err)
				span := civil.Span{First: civil.Min, Last: on("2027-04-04")}
				if i > 0 {
					span = civil.Span{First: on("2027-04-05"), Last: civil.Max}
				}
				all = append(all, EffectiveRule{Recurrence: one.Rules[0].Recurrence, Span: span, Text: text})
			}
			must(s.SetRules(all))
		}
		if g.start+g.end != "" {
			must(s.SetPeriod(g.start, g.end, env))
		}
		for _, m := range g.milestones {
			name, text, _ := strings.Cut(m, " = ")
			must(s.AddMilestone(name, text, env))
		}
		for i, text := range strings.Split(g.remind, ";") {
			if text != "" {
				r, err := ParseReminder(text)
				must(err)
				s.Reminders = append(s.Reminders, r)
			}
			if i == 0 && len(s.Milestones) > 0 {
				s.Milestones[0].Owner, s.Milestones[0].Todo, s.Milestones[0].Private = "di", true, true
				s.Summary, err = s.NewTemplate("{title} {number}: {period_start}..{period_end} {date}", env)
				must(err)
			}
		}
		for _, h := range g.hands {
			f := strings.SplitN(h, " ", 4)
			hand := Override{ID: f[0], What: f[1], Reason: OverrideReason(f[3], "B. Tern", f[2] == "-")}
			if f[2] != "-" {
				d, clock, timed := strings.Cut(f[2], "T")
				if hand.At = eval.Day(on(d)); timed {
					minutes, _ := civil.ParseClock(clock)
					hand.At = eval.Value{Kind: eval.DateTime, Day: on(d), Minutes: int16(minutes)}
				}
			}
			must(s.SetOverride(hand))
		}
		if g.each+g.counts != "" {
			s.Expects = &Expectations{Counts: map[string]Bounds{}}
			at := env
			at.Names = s.Names()
			for _, text := range strings.Split(g.each, ";") {
				if text = strings.TrimSpace(text); text != "" {
					x, err := eval.CompileExpectation(text, at)
					must(err)
					s.Expects.Each = append(s.Expects.Each, x)
				}
			}
			for _, text := range strings.Split(g.counts, ";") {
				if name, text, ok := strings.Cut(strings.TrimSpace(text), " "); ok {
					b, err := ParseBounds(text)
					must(err)
					if name == "gap" {
						s.Expects.Gap = &b
					} else {
						s.Expects.Counts[name] = b
					}
				}
			}
		}
		s.EventProperties = g.look
		list = append(list, s)
	}
	return list, env
}

func on(s string) civil.Date { d, _, _ := civil.Parse(s); return d }

// TestGoldenCases holds all that series give to testdata/given.txt: rows, events with their
// reminders, reasons, findings, periods, recurrences, walls and differences.
func TestGoldenCases(t *testing.T) {
	list, env := givenSeries(t)
	must := func(err error) {
		if err != nil {
			t.Fatal(err)
		}
	}
	var b strings.Builder
	put := func(format string, args ...any) {
		fmt.Fprintln(&b, strings.TrimRight(fmt.Sprintf(format, args...), " "))
	}
	table := func(lines Lines) {
		for cells, err := range lines {
			var texts []string
			for _, c := range cells {
				texts = append(texts, c.String())
			}
			if put("  %s", strings.Join(texts, ",")); err != nil {
				put("  %v", err)
			}
		}
	}
	window := civil.Span{First: on("2027-01-10"), Last: on("2027-06-20")}
	plan := func(*Series) string { return "plan" }
	for _, s := range list {
		put("= %s: endless %v, names %v", s.Name, s.Endless(), s.Names()[len(BaseNames):])
		sum, err := Summarise(s, window, env.Today)
		put("  summary %v %v blank %d provisional %d", sum.Cells(), err, sum.Blank, sum.Provisional)
		years, err := s.CountYears(civil.Span{First: on("2026-01-01"), Last: on("2028-12-31")})
		put("  years %v %v", years, err)
		columns, lines := OccurrenceTable(s, window)
		put("  %s", strings.Join(columns, ","))
		table(lines)
		var cells RuleRows
		for m, err := range Dates(s.Rules[0].Recurrence, window) {
			put("  of the rule %v, moved %v, %v", cells.Row(nil, m), m.isMoved(), err)
		}
		entries, cut, err := Entries([]*Series{s}, window)
		whole, _ := OccurrenceEntries([]*Series{s}, window)
		put("  %d entries, %d cut, %d whole %v", len(entries), cut, len(whole), err)
		for _, e := range entries {
			v := e.Event("plan")
			put("  %s %s %q %q owner %q todo %v private %v tentative %v alarms %v busy %v minutes %d color %q location %q categories %q", v.At, v.UID, v.Summary, v.Description, v.Owner, v.Todo, v.Private, v.Tentative, v.Alarms(), v.Busy, v.DurationMinutes, v.Color, v.Location, v.Categories)
		}
		found, err := s.Check(civil.Span{First: window.First, Last: on("2027-11-30")})
		for _, f := range found {
			put("  finding note %v wanted %v %s %s %s", f.IsNote, f.Intended, f.Key, f.At, f.Text)
		}
		if err != nil {
			put("  %v", err)
		}
		released, _ := Release(nil, entries, nil, Released{Plan: "plan", ReleasedOn: on("2027-01-05"), By: "di", From: window.First, Through: window.Last})
		for i := range released {
			switch r := &released[i]; i % 7 {
			case 1:
				r.At.Day++
			case 3:
				r.ID += "x"
			case 5:
				r.What = "gone"
			}
		}
		find := func(name string) *Series { return s }
		breaches, err := Breaches(released, func(string) bool { return true }, find, window)
		for _, h := range breaches {
			put("  not as released %v: %s, %s, %v", h.Cells(), h.Change(), h, h.ChangeCells())
		}
		put("  %d of %d %v", len(breaches), len(released), err)
		for p := range s.NumberedPeriods(civil.Span{First: window.First, Last: on("2027-03-20")}) {
			put("  period %v", p)
		}
		for d := on("2027-03-10"); d < on("2027-04-16"); d++ {
			e, err := s.Explain(d, env.Calendar)
			told, ids := e.Lines, e.IDs
			if len(ids) == 0 || err != nil {
				continue
			}
			put("  why %s %v", d, ids)
			for _, x := range told {
				put("    %s | %s | %s | %s", x.What, x.Step, x.Day, x.Reason)
			}
		}
		if folded, err := FoldAll(entries, plan, func(e Entry) Event { return e.Event("plan") }); err != nil {
			put("  not folded: %v", err)
		} else {
			for _, e := range folded {
				if r := e.Recurring; r != nil {
					put("  folded %s %s %v until %s except %v extra %v, %d dates", e.UID, e.At, r.Rule, r.Until, r.Except, r.Extra, len(r.Dates))
				}
			}
		}
		proofs, err := s.proofs(civil.Span{First: window.First, Last: on("2027-11-30")})
		must(err)
		met, fails := true, false
		for _, p := range proofs {
			met = met && p.Passed
			put("  proved %s: %s %v", p.Expected, p.Found, p.Passed)
		}
		for _, f := range found {
			fails = fails || strings.HasPrefix(f.Key, "expect.") && !f.IsNote
		}
		if met == fails {
			t.Errorf("%s: proofs are met: %v, expectations fail: %v", s.Name, met, fails)
		}
		elsewhere := FindOutside([]*Series{s}, window, false, plan)
		around, _, _ := Entries([]*Series{s}, window.Widen(60, 60))
		n := 0
		for _, e := range around {
			if _, ok := elsewhere(e.Event("plan").UID); ok {
				n++
			}
		}
		put("  elsewhere %d of %d; after 2027-03-15 %v, before %v, count %d, blanks %d", n, len(around), first(s.After(on("2027-03-15"), false)), first(s.Before(on("2027-03-15"), true)), s.Count(on("2027-01-31"), on("2027-05-15")), s.Blanks(window))
		for _, h := range s.Overrides() {
			put("  hand %s %s %s %q", h.What, h.ID, h.At, h.Reason)
		}
	}
	agenda := NewAgenda(list, "Atlantic/Faroe")
	put("= agenda %v, order and merge", agenda.Columns())
	var events []Event
	entries, _, _ := Entries(list, civil.Span{First: on("2027-03-01"), Last: on("2027-03-31")})
	for _, e := range entries {
		events = append(events, e.Event("plan"))
	}
	SortEvents(events, []string{"two-rules", "pay", "blank"}, func(d civil.Date) int64 { return int64(d) * 86400 })
	table(agenda.Lines(events, "Atlantic/Faroe"))
	for d, err := range MergeDates(list, civil.Span{First: on("2027-03-01"), Last: on("2027-03-31")}) {
		put("  %s %s %v", d.MovedTo, d.Series.Name, err)
	}
	for e, err := range MergeOccurrences(list[:4], civil.Span{First: on("2027-04-01"), Last: on("2027-04-30")}) {
		put("  %s %s %v", e.At, e.Series.Name, err)
	}
	met, err := Coincidences([]Column{{list[0], "date"}, {list[1], "date"}, {list[2], "date"}, {list[0], "sheets"}}, window)
	for _, f := range met {
		put("  met %s %s %s %v", f.Subject, f.At, f.Text, err)
	}
	spring := civil.Span{First: on("2027-03-01"), Last: on("2027-03-31")}
	released := []Released{{Plan: "p", Series: "pay", What: "date", ID: "x", At: eval.Day(on("2027-03-15")), ReleasedOn: on("2027-01-02"), By: "B. Tern"},
		{Plan: "p", Series: "pay", What: "date", ID: "y", At: eval.Day(on("2027-04-15"))}, {Plan: "p", Series: "pay", What: "date", At: eval.Day(on("2027-03-31")), Superseded: on("2027-02-01")}}
	for _, part := range []func() (WallPart, error){func() (WallPart, error) { return WallTable(list[0], spring) },
		func() (WallPart, error) { return WallHolidays(env.Calendar, spring) }, func() (WallPart, error) { return WallMoved(list, spring) },
		func() (WallPart, error) { return WallProofs(list, spring) }, func() (WallPart, error) { return WallReleased(released, strings.ToUpper, spring), nil }} {
		p, err := part()
		must(err)
		put("= %s (%s)\n  %s", p.Title, p.EmptyText, strings.Join(p.Columns, ","))
		table(LinesOf(p.Rows, func(cells []eval.Value) []eval.Value { return cells }))
	}
	wall, err := NewWall(list, civil.Span{First: on("2027-02-20"), Last: on("2027-04-10")}, true, civil.DefaultFiscalCalendar, env.Calendar)
	if err != nil {
		t.Fatal(err)
	}
	put("= wall %v %v", wall.Span(), wall.Series)
	for _, m := range wall.Months {
		for _, w := range wall.Weeks(m) {
			put("  week %d of %s", wall.ISOWeekOf(w), w)
		}
	}
	for d := wall.Span().First; d <= wall.Span().Last; d++ {
		closed, name := wall.Closed(d)
		if marks := wall.Marks(d); len(marks) > 0 || closed && name != "" {
			put("  %s %v %q", d, closed, name)
			for _, m := range marks {
				put("    series %d moved %v %q", m.Series, m.Moved, m.Text)
			}
		}
	}
	for _, s := range wall.Closures {
		put("  shut %s %s", s.Name, s.DaysText())
	}
	put("  several %v", wall.CrowdedDays())
	for _, days := range []string{"2027-01-01", "2027-01-01 2027-01-02", "2027-01-01 2027-01-02 2027-01-03 2027-01-05 2027-01-07 2027-01-08"} {
		var s WallClosure
		for _, d := range strings.Fields(days) {
			s.Days = append(s.Days, on(d))
		}
		put("  days %s", s.DaysText())
	}
	later := slices.Clone(events)
	later[0].At.Day++
	later[1].Summary = "another"
	later[2].At = eval.Value{Kind: eval.DateTime, Day: later[2].At.Day, Minutes: 600}
	later = append(later[:4], later[5:]...)
	diff, tally := Differences(events, later, func(Event) bool { return true })
	for _, d := range diff {
		put("  %v", d.Cells())
	}
	put("  %s; %s; %s; %v", tally, tally.Summary(), TallyRows(diff), tally.Differ())
	for _, text := range []string{"30 minutes", "2 hours", "24 hours", "25 hours", "1 day", "0 minutes", "1440 minutes", "1 hour", "1 minute"} {
		n, err := ParseEventDuration(text)
		put("  lasting %s: %d %v", text, n, err != nil)
	}
	for _, text := range []string{"3", "1..2", "2..1", "x", "..2", "-1"} {
		n, err := ParseBounds(text)
		put("  bounds %s: %v %v", text, n, err != nil)
	}
	for _, text := range []string{"teal", "Teal", "teel"} {
		n, err := ParseColor(text)
		put("  color %s: %v %v", text, n, err)
	}
	for _, h := range []Override{{ID: "2027-03/15", What: "nothing"}, {ID: "2027-13/15", What: "date"}, {ID: "2027-03/16", What: "date"}, {ID: "x", What: "sheets"}, {ID: "2027-03/15", What: "sheets", At: eval.Day(on("2027-03-05"))}, {ID: "2027-03/15", What: "bank"}} {
		put("set %s of %s: %v", h.What, h.ID, list[0].SetOverride(h))
	}
	for _, title := range []string{"", "Month end"} {
		s, err := FromRule("monthly on last then roll preceding", title, env)
		put("of a rule: %s %q %v", s.Name, s.Title, err)
	}
	for _, s := range list {
		for _, d := range []string{"2027-03-15", "2027-01-31", "2027-04-09"} {
			put("%s around %s: %s, %s; %s, %s", s.Name, d, first(s.Before(on(d), false)), first(s.Before(on(d), true)), first(s.After(on(d), true)), first(s.After(on(d), false)))
		}
	}
	mixed := []Event{{UID: "a", At: eval.Value{Kind: eval.DateTime, Day: 740000, Minutes: 540, Text: "Far/East", Num: 1}}, {UID: "b", At: eval.Value{Kind: eval.DateTime, Day: 740000, Minutes: 500, Text: "Far/West", Num: 740000 * 86400}},
		{UID: "c", At: eval.Day(740000)}, {UID: "d", At: eval.Value{Kind: eval.DateTime, Day: 739999, Minutes: 1439}}, {UID: "e", At: eval.Day(739999)}}
	for _, midnight := range []func(civil.Date) int64{nil, func(d civil.Date) int64 { return int64(d) * 86400 }} {
		for _, n := range []int{5, 3, 1} {
			some := slices.Clone(mixed[5-n:])
			SortEvents(some, nil, midnight)
			put("sorted %v", func() (ids []string) {
				for _, e := range some {
					ids = append(ids, e.UID)
				}
				return ids
			}())
		}
	}
	for _, days := range []int{729, 731} { // the months of a wall are bounded
		_, err := NewWall(list[:1], civil.Span{First: on("2027-01-01"), Last: on("2027-01-01") + civil.Date(days)}, false, civil.DefaultFiscalCalendar, env.Calendar)
		put("wall of %d days: %v", days+1, err)
	}
	rows := []Released{{Series: "pay", What: "date", ID: "2027-03/15", At: eval.Day(on("2027-03-11")), ReleasedOn: on("2027-01-02"), By: "B. Tern", Note: "moved", Reason: "the bank"},
		{Series: "pay", What: "date", ID: "2027-04/15", At: eval.Day(on("2027-04-15")), ReleasedOn: on("2027-01-02"), By: "di", Superseded: on("2027-02-01")}, {Series: "pay", What: "bank", ID: "2027-03/15", At: eval.Day(on("2027-03-09"))}}
	for _, ids := range [][]string{nil, {"2027-03/15"}, {"x"}} {
		for _, d := range []string{"2027-04-15", "2027-03-11", "2027-05-01"} {
			put("released of %v, %s: %v", ids, d, ExplainReleases(rows, ids, on(d)))
		}
	}
	zoned := Event{At: eval.Value{Kind: eval.DateTime, Text: "Far/East"}}
	put("zone %q %q", zoned.Zone(), Event{At: eval.Day(1)}.Zone())
	golden.Compare(t, "testdata/given.txt", b.String())
}

func first(d civil.Date, ok bool) string { return fmt.Sprint(d, " ", ok) }
