package plan

import (
	"errors"
	"fmt"
	"iter"
	"path/filepath"
	"strings"

	"github.com/goccy/go-yaml/ast"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/core/workdays"
	"yoyaku/internal/tabular"
)

// holidays adds a layer for each entry, in order, so that each entry's rule
// sees those above it. listed is the years of the files read.
func (b *book) holidays(d *doc, c *workdays.Calendar, n ast.Node) (_ *workdays.Calendar, listed civil.Span, err error) {
	var sources []workdays.Source
	take := func(v ast.Node, name string) error {
		other, err := b.named(name)
		if err != nil {
			return d.wrap(v, err)
		}
		c.Known.First, c.Known.Last = max(c.Known.First, other.Known.First), min(c.Known.Last, other.Known.Last)
		sources = append(sources, other)
		return nil
	}
	seq, ok := n.(*ast.SequenceNode)
	if !ok { // holidays: isles
		names, nodes, err := d.texts(n)
		for i, name := range names {
			if err := take(nodes[i], name); err != nil {
				return nil, listed, err
			}
		}
		return c.WithHolidays(sources...), listed, err
	}
	for _, entry := range seq.Values {
		if _, ok := entry.(*ast.MappingNode); !ok {
			name, err := d.text(entry)
			if err == nil {
				err = take(entry, name)
			}
			if err != nil {
				return nil, listed, err
			}
			continue
		}
		got := map[string]string{}
		at := map[string]ast.Node{}
		if err := d.each(entry, holidayShape, func(key string, _, v ast.Node) (err error) {
			if at[key] = v; key == "day" {
				return nil
			}
			got[key], err = d.text(v)
			return err
		}); err != nil {
			return nil, listed, err
		}
		switch {
		case at["day"] != nil && got["name"] != "" && len(at) == 2:
			src, err := b.days(d, entry, got["name"], at["day"], c)
			if err != nil {
				return nil, listed, err
			}
			sources = append(sources, src)
		case got["file"] != "" && len(at) == 1+have(got, "where")+have(got, "read-dates"):
			src, list, err := b.file(d, got["file"], got["where"], got["read-dates"])
			if err != nil {
				node := at["file"]
				if pe := (*phrase.Error)(nil); errors.As(err, &pe) {
					node = at["where"]
				}
				if fe := (*rows.OptionError)(nil); errors.As(err, &fe) {
					node = at[fe.Option]
				}
				return nil, listed, d.wrap(node, err)
			}
			listed = yearsOf(listed, list)
			sources = append(sources, src)
		case got["calendar"] != "" && len(at) == 1:
			if err := take(at["calendar"], got["calendar"]); err != nil {
				return nil, listed, err
			}
		default:
			return nil, listed, d.fail(entry, "a holiday has `name` and `day`, or `file`, or `calendar`")
		}
	}
	return c.WithHolidays(sources...), listed, nil
}

// ruleDays is a holiday that a rule gives.
type ruleDays struct {
	name, source string
	rec          *eval.Recurrence
}

// have counts a key that is set.
func have(got map[string]string, key string) int {
	if got[key] != "" {
		return 1
	}
	return 0
}

// days reads the days of a holiday: a rule, or dates and stretches.
func (b *book) days(d *doc, entry ast.Node, name string, n ast.Node, below *workdays.Calendar) (workdays.Source, error) {
	_, several := n.(*ast.SequenceNode)
	if text, err := d.text(n); !several && err == nil && phrase.IsRule(text) {
		src, err := b.rule(d, entry, name, text, below)
		return src, d.wrap(n, err)
	}
	texts, nodes, err := d.texts(n)
	if err != nil {
		return nil, err
	}
	var list workdays.List
	for i, text := range texts {
		span, err := stretch(text)
		switch {
		case err == nil:
		case len(texts) > 1 || strings.Contains(text, ".."):
			return nil, d.fail(nodes[i], "%q is neither a date nor a stretch of at most ten years; days are listed as 2027-12-24, 2027-12-27..2027-12-31", text)
		default:
			if _, err = phrase.ParseRule(text); err == nil {
				err = fmt.Errorf("a list of days has no rules: %s", text)
			}
			return nil, d.wrap(nodes[i], err)
		}
		list = list.Through(workdays.Holiday{Name: name, Source: d.source(entry)}, span)
	}
	return list, nil
}

// mostDays is how long a stretch of holidays may be, so that a slip of the pen
// closes no century.
const mostDays = 3660

// stretch reads a date, or A..B, each end a date or a period.
func stretch(text string) (civil.Span, error) {
	if d, _, ok := civil.Parse(text); ok {
		return civil.Span{First: d, Last: d}, nil
	}
	from, to, two := strings.Cut(text, "..")
	a, ok := civil.DefaultFrame.ParseSpan(strings.TrimSpace(from))
	b, ok2 := civil.DefaultFrame.ParseSpan(strings.TrimSpace(to))
	s := civil.Span{First: a.First, Last: b.Last}
	switch {
	case !two || !ok || !ok2:
		return s, errors.New("no date or stretch")
	case s.Last < s.First || s.Len() > mostDays:
		return s, fmt.Errorf("no stretch of days: %s to %s", s.First, s.Last)
	}
	return s, nil
}

// rule compiles a holiday's rule; it counts with the calendar below it.
func (b *book) rule(d *doc, entry ast.Node, name, text string, below *workdays.Calendar) (workdays.Source, error) {
	env := b.env
	env.Calendar = below.Below()
	rec, err := eval.CompileRule(text, env)
	if err != nil {
		return nil, err
	}
	return &ruleDays{name, d.source(entry), rec}, nil
}

// Days implements workdays.Source.
func (r *ruleDays) Days(span civil.Span, _ *workdays.Calendar) iter.Seq[workdays.Holiday] {
	return func(yield func(workdays.Holiday) bool) {
		for m, err := range schedule.Dates(r.rec, span) {
			if err != nil {
				return
			}
			h := workdays.Holiday{Date: m.To, Nominal: m.Date.Date, Name: r.name, Source: r.source, Reason: eval.Reasons(m.Moves)}
			if !yield(h) {
				return
			}
		}
	}
}

// file reads a list of holidays: a CSV file, or the all-day events of an .ics
// file. list is the days that are written down one by one.
func (b *book) file(d *doc, name, where, form string) (src workdays.Source, list workdays.List, err error) {
	path := d.beside(name)
	switch ext := strings.ToLower(filepath.Ext(name)); {
	case ext == ".ics" && form != "":
		return nil, nil, rows.In("read-dates", fmt.Errorf("the dates of an .ics file have one form"))
	case ext == ".ics":
		return b.events(path, name, where)
	case ext != ".csv":
		return nil, nil, fmt.Errorf("a list of holidays is a .csv or .ics file, not %s", name)
	case where != "":
		return nil, nil, fmt.Errorf("`where` chooses among the events of an .ics file, and %s is none", name)
	}
	list, err = b.listed(path, name, form)
	return list, list, err
}

// listed reads a CSV list of holidays: the columns date and name, or start, end
// and name. A blank end is the start.
func (b *book) listed(path, name, form string) (workdays.List, error) {
	readings, err := tabular.ParseReadings(form)
	if form != "" && err != nil {
		return nil, rows.In("read-dates", err)
	}
	f, err := b.files.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var list workdays.List
	var at map[string]int
	for rec, err := range tabular.ReadCSV(path, f) {
		if err != nil {
			return nil, err
		}
		if at == nil {
			if at = holidayColumns(rec.Fields); at == nil {
				return nil, &tabular.CellError{File: path, Line: rec.Line, Message: "a list of holidays has the columns `date` and `name`, or `start`, `end` and `name`"}
			}
			continue
		}
		day := func(column string) (civil.Date, error) {
			text := strings.TrimSpace(rec.Fields[at[column]])
			d, _, ok := civil.Parse(text)
			if !ok && form != "" {
				d, _, ok = tabular.ReadDate(text, readings)
			}
			if ok {
				return d, nil
			}
			message := fmt.Sprintf("not a date: %q; dates are written 2027-03-31", text)
			switch fit := tabular.Fitting([]string{text}); {
			case form != "":
				message = fmt.Sprintf("not a date by %s: %q", form, text)
			case len(fit) > 0:
				message += fmt.Sprintf(", or `read-dates: %s` beside the file says how to read them", strings.Join(fit, "` or `read-dates: "))
			}
			return d, &tabular.CellError{File: path, Line: rec.Line, Column: column, Message: message}
		}
		var span civil.Span
		if _, single := at["date"]; single {
			span.First, err = day("date")
			span.Last = span.First
		} else if span.First, err = day("start"); err == nil {
			if span.Last = span.First; strings.TrimSpace(rec.Fields[at["end"]]) != "" {
				span.Last, err = day("end")
			}
			if err == nil && (span.Last < span.First || span.Len() > mostDays) {
				err = &tabular.CellError{File: path, Line: rec.Line, Column: "end", Message: fmt.Sprintf("no stretch of days: %s to %s", span.First, span.Last)}
			}
		}
		if err != nil {
			return nil, err
		}
		list = list.Through(workdays.Holiday{Name: strings.Clone(strings.TrimSpace(rec.Fields[at["name"]])), Source: fmt.Sprintf("%s:%d", name, rec.Line)}, span)
	}
	return list, nil
}

// holidayColumns finds the columns of a list of holidays; nil where they aren't
// there.
func holidayColumns(head []string) map[string]int {
	at := map[string]int{}
	for i, h := range head {
		switch key := phrase.FoldName(strings.TrimSpace(h)); key {
		case "date", "start", "end", "name":
			at[key] = i
		}
	}
	_, date := at["date"]
	_, start := at["start"]
	_, end := at["end"]
	if _, name := at["name"]; !name || !date && !(start && end) {
		return nil
	}
	if start && end { // a list with all of them goes by its stretches
		delete(at, "date")
	}
	return at
}

// yearsOf widens a span to the years of the listed days.
func yearsOf(s civil.Span, list workdays.List) civil.Span {
	for _, h := range list {
		first, _ := civil.Of(h.Date.Year(), 1, 1)
		last, _ := civil.Of(h.Date.Year(), 12, 31)
		if s == (civil.Span{}) {
			s = civil.Span{First: first, Last: last}
		}
		s.First, s.Last = min(s.First, first), max(s.Last, last)
	}
	return s
}
