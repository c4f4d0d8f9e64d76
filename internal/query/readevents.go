package query

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"yoyaku/internal/core/civil"
	"yoyaku/internal/core/eval"
	"yoyaku/internal/core/phrase"
	"yoyaku/internal/core/rows"
	"yoyaku/internal/core/schedule"
	"yoyaku/internal/files"
	"yoyaku/internal/ical"
	"yoyaku/internal/tabular"
)

// errNoSchedule is a table whose rows aren't dates of a schedule.
var errNoSchedule = errors.New("this table has no columns `date` and `id`, so its rows can't be identified")

// ReadEvents reads the dates of a schedule out of a file: the events of a calendar
// file, the rows of an agenda, or of the table of one series with its milestones
// beside each date, whose name is series.
func ReadEvents(name, series string, r io.Reader) ([]schedule.Event, error) {
	ext := strings.ToLower(filepath.Ext(name))
	if ext == ".ics" {
		return ical.Events(name, r)
	}
	table, err := tabular.Options{}.Read(name, ext, r)
	if err != nil {
		return nil, err
	}
	columns := table.Columns()
	place := map[string]int{}
	for _, name := range []string{"id", "date", "series", "what", "title", "reason", "nominal", "owner", "zone"} {
		place[name] = rows.ColumnIndex(columns, name)
	}
	own := make([]bool, len(columns)) // of a wide table those that are no milestones
	for i, c := range columns {
		own[i] = i < place["date"] || slices.Contains(occurrenceColumns, phrase.FoldName(c)) ||
			strings.HasSuffix(phrase.FoldName(c), " weekday")
	}
	at := func(name string) int { return place[name] }
	if at("id") < 0 || at("date") < 0 {
		return nil, errNoSchedule
	}
	var list []schedule.Event
	err = rows.Each(table, func(line int, cells []eval.Value) error {
		get := func(name string) string {
			if i := at(name); i >= 0 {
				return strings.Clone(cells[i].String())
			}
			return ""
		}
		e := schedule.Event{Series: get("series"), What: get("what"), ID: get("id"), Summary: get("title"),
			Description: get("reason")}
		if e.Nominal, _ = eval.AsDate(eval.Str(get("nominal"))); e.What != "" {
			if e.At, err = parseMoment(get("date")); err != nil {
				return fmt.Errorf("%s:%d: %w", name, line, err)
			}
			if e.Owner = get("owner"); e.At.Kind == eval.DateTime {
				e.At.Text = get("zone")
			}
			list = append(list, e)
			return nil
		}
		for i, c := range columns { // a wide table: the date and its milestones
			if own[i] || cells[i].Kind == eval.Blank {
				continue
			}
			when, err := parseMoment(cells[i].String())
			if err != nil {
				continue
			}
			m := e
			m.Series, m.What, m.At = series, phrase.FoldName(c), when
			if m.What != "date" {
				m.Description = ""
			}
			list = append(list, m)
		}
		return nil
	})
	return list, err
}

// Readable reports whether a file of a name can be read as a schedule or table.
func Readable(name string) bool {
	return slices.Contains([]string{".ics", ".csv", ".tsv", ".json", ".jsonl", ".xlsx"},
		strings.ToLower(filepath.Ext(name)))
}

// occurrenceColumns are the columns of a wide table that are no milestones.
var occurrenceColumns = []string{"weekday", "nominal", "reason", "period start", "period end", "id", "rule", "title"}

// ParseMoment reads a date, or one with a time as tables hold it: 2027-03-11T16:30.
func ParseMoment(text string) (eval.Value, bool) {
	v, err := parseMoment(text)
	return v, err == nil
}

func parseMoment(text string) (eval.Value, error) {
	day, clock, timed := strings.Cut(text, "T")
	d, _, ok := civil.Parse(day)
	minutes, offset := 0, ""
	if i := strings.IndexAny(clock, "+-"); i > 0 {
		clock, offset = clock[:i], clock[i:]
	}
	if timed && ok {
		minutes, ok = civil.ParseClock(clock)
	}
	v := eval.Value{Kind: eval.DateTime, Day: d, Minutes: int16(minutes)}
	if ok && offset != "" {
		v, ok = v.ParseOffset(offset)
	}
	switch {
	case !ok:
		return eval.Value{}, fmt.Errorf("expected a date, found %q", eval.Truncate(text))
	case timed:
		return v, nil
	}
	return eval.Day(d), nil
}

// ReadOtherSeries reads the dates in an earlier output that are of other series than the
// named ones; none if there is no such file.
func ReadOtherSeries(path string, named []string) (list []schedule.Event, err error) {
	f, err := files.OpenExisting(path)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	all, err := ReadEvents(path, "", f)
	for _, e := range all {
		if !slices.ContainsFunc(named, func(n string) bool { return phrase.NamesEqual(n, e.Series) }) {
			list = append(list, e)
		}
	}
	return list, err
}
