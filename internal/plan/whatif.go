package plan

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/declare"
)

// WhatIf are days that a command alone closes and opens: [CALENDAR:]DAY or A..B, and =NAME
// behind what is closed.
type WhatIf struct{ Closed, Opened []string }

// IsSet reports whether there are any.
func (w WhatIf) IsSet() bool { return len(w.Closed)+len(w.Opened) > 0 }

// Options declares the options that fill it.
func (w *WhatIf) Options() []*declare.Key {
	return []*declare.Key{
		{Name: "closed", Completion: "calendars",
			Placeholder: "[CALENDAR:]DAY[=NAME]", Help: "close a day or a range A..B for this answer only", Value: declare.Text.Repeat(&w.Closed)},
		{Name: "opened", Completion: "calendars", Placeholder: "[CALENDAR:]DAY", Help: "open a day or a range A..B for this answer only",
			Value: declare.Text.Repeat(&w.Opened)},
	}
}

// ErrWhatIf refuses what would be handed on.
var ErrWhatIf = errors.New("what is handed on must come from the plan; add the day to its calendar instead")

// whatIfDay is what is closed or opened in one calendar.
type whatIfDay struct {
	option    string
	calendar  string // "" for the one that counts by default
	span      civil.Span
	name      string
	applied   bool
	appliedTo string // the calendar's name, once it was
}

// parse reads the options.
func (w WhatIf) parse() (list []*whatIfDay, err error) {
	for _, o := range []struct {
		name  string
		texts []string
	}{{"closed", w.Closed}, {"opened", w.Opened}} {
		for _, text := range o.texts {
			t := &whatIfDay{option: o.name, name: "closed"}
			day := text
			if name, rest, ok := strings.Cut(text, ":"); ok {
				t.calendar, day = rows.UnquoteName(name), rest
				if t.calendar == "" {
					return nil, rows.WrapOption(o.name, fmt.Errorf("expected a calendar in front of the colon, found %q", text))
				}
			}
			if of, name, ok := strings.Cut(day, "="); ok {
				if day, t.name = of, strings.TrimSpace(name); o.name == "opened" || t.name == "" {
					return nil, rows.WrapOption(o.name, fmt.Errorf("%q: only a closed day takes a name", text))
				}
			}
			if t.span, err = parseSpan(strings.TrimSpace(day)); err != nil {
				return nil, rows.WrapOption(o.name, fmt.Errorf("expected a day or a range of at most ten years, such as "+
					"2027-06-07=Jubilee or isles:2027-12-27..2027-12-31, found %q", text))
			}
			list = append(list, t)
		}
	}
	return list, nil
}

// setWhatIf takes days that are tried. by is the calendar that the command counts with; "" for
// the plan's.
func (b *calendarSet) setWhatIf(w WhatIf, by string) (err error) {
	b.whatIfDays, err = w.parse()
	for _, t := range b.whatIfDays {
		if _, column := calendarColumn(by); column && t.calendar == "" {
			return rows.WrapOption(t.option,
				errors.New("each row names its own calendar, so name the one to change: isles:2027-06-07"))
		}
	}
	return err
}

// applyDefaultWhatIf has those days that name no calendar tried in the one of a name, if it is one
// that others may be made of; else they wait for what counts in the end.
func (b *calendarSet) applyDefaultWhatIf(name string) {
	key := phrase.FoldName(strings.TrimSpace(name))
	if !slices.ContainsFunc(b.knownNames(), func(n string) bool { return phrase.FoldName(n) == key }) {
		return
	}
	for _, t := range b.whatIfDays {
		if t.calendar == "" {
			t.calendar = key
		}
	}
}

// applyWhatIf closes and opens days of a calendar of a name; "" is the one that counts by default.
func (b *calendarSet) applyWhatIf(name string, c *workdays.Calendar) (*workdays.Calendar, error) {
	var closed workdays.HolidayList
	var opened []civil.Date
	for _, t := range b.whatIfDays {
		if t.applied || phrase.FoldName(t.calendar) != phrase.FoldName(name) {
			continue
		}
		t.applied = true
		already := 0
		for d := t.span.First; d <= t.span.Last; d++ {
			if c.IsWorkday(d) == (t.option == "opened") {
				already++
			}
			h := workdays.Holiday{Name: t.name, Source: "--" + t.option}
			h.Date, h.Nominal = d, d
			if t.option == "closed" {
				closed = append(closed, h)
			} else {
				opened = append(opened, d)
			}
			on := func(h workdays.Holiday) bool { return h.Date == d }
			if slices.Contains(opened, d) && slices.ContainsFunc(closed, on) {
				return nil, rows.WrapOption(t.option, fmt.Errorf("%s is both closed and opened in %s", d, c.Name))
			}
		}
		if already > 0 {
			b.whatIfNoops = append(b.whatIfNoops, fmt.Sprintf("%s %s in %s anyway; --%s changes nothing", phrase.CountIs(already, "day"),
				map[string]string{"closed": "closed", "opened": "open"}[t.option], c.Name, t.option))
		}
		t.appliedTo = c.Name
	}
	if closed == nil && opened == nil {
		return c, nil
	}
	return c.WithChanges(closed, opened), nil
}

func (t *whatIfDay) spanText() string {
	text := t.span.First.String()
	if t.span.Last != t.span.First {
		text += " to " + t.span.Last.String()
	}
	if t.option == "closed" && t.name != "closed" {
		text += " (" + t.name + ")"
	}
	return text
}

// applyWhatIfToOwn is applyWhatIfToDefault for the plan's calendar, which its series count with, unless the
// command counts with another.
func (p *Plan) applyWhatIfToOwn() error {
	if p.commandCalendar != "" {
		return nil
	}
	return p.applyWhatIfToDefault()
}

// applyWhatIfToDefault tries the days that no calendar was found for in the one that counts.
func (p *Plan) applyWhatIfToDefault() error {
	c, err := p.calendars.applyWhatIf("", p.Env.Calendar)
	if err != nil {
		return err
	}
	if c != p.Env.Calendar && p.Env.Calendar == p.calendars.defaultCalendar {
		p.calendars.defaultCalendar = c
	}
	p.Env.Calendar = c
	for _, t := range p.calendars.whatIfDays {
		known := func(n string) bool { return phrase.NamesEqual(n, t.calendar) }
		if t.calendar != "" && !slices.ContainsFunc(p.calendars.knownNames(), known) {
			_, err := p.calendars.resolve(t.calendar)
			return rows.WrapOption(t.option, err)
		}
	}
	return nil
}

// WhatIf tells on which days that are tried the answers rest; "" if none are. Further
// notes say which of them change nothing.
func (p *Plan) WhatIf() (rests string, notes []string) {
	if p.calendars == nil {
		return "", nil
	}
	var list []string
	for _, t := range p.calendars.whatIfDays {
		list = append(list, fmt.Sprintf("%s %s in %s", t.spanText(), t.option, cmp.Or(t.appliedTo, t.calendar)))
	}
	if list == nil {
		return "", nil
	}
	return "What if: this answer assumes " + strings.Join(list, ", ") + "; no file was changed", p.calendars.whatIfNoops
}
